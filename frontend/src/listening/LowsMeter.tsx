import { formatDb } from "../ui/format";
import { useLiveReadings } from "../state/useLiveReadings";
import { energyDb } from "../plots/spectrum";

/** The low end's level against all the rest, as it is heard. */
export function LowsMeter({ below }: { below: number }) {
  const more = useLiveReadings((heard) => {
    const spectrum = heard?.gauge?.spectrum;
    return formatDb(spectrum && energyDb(spectrum, 8, below) - energyDb(spectrum, below, 22000), true);
  });
  return (
    <span>
      lows against the rest <b className="inline-block min-w-[56px] font-[650]">{more}</b>
    </span>
  );
}
