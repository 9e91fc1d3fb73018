import { useBench } from "../state/store";
import { formatDb } from "../ui/format";
import { useLiveReadings } from "../state/useLiveReadings";

/** What a stage takes off at the moment. */
export function Effort({ stage }: { stage: string }) {
  const playing = useBench((s) => s.playing);
  const taken = useLiveReadings((heard) => {
    const effort = heard?.meters.stages[stage]?.effort_db;
    return formatDb(effort?.length ? Math.min(...effort) : 0, false, "");
  });
  if (!playing) return null;
  return (
    <span className="pointer-events-none absolute top-[7px] right-[10px] font-[620] text-copper group-focus-within:right-7 group-hover:right-7">
      {taken}
    </span>
  );
}
