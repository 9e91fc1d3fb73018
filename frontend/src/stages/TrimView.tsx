import type { Stage } from "../api/types";
import { useBench } from "../state/store";
import { Controls } from "./Controls";
import { SetLevel } from "./SetLevel";

/** Level, balance and polarity: nothing to draw but what it says. */
export default function TrimView({ stage }: { stage: Extract<Stage, { kind: "trim" }> }) {
  const summary = useBench((s) => s.described[stage.id]?.summary);
  return (
    <div className="grid h-full min-h-0 grid-rows-[26px_minmax(130px,1fr)_minmax(0,max-content)] gap-y-2">
      <div className="tools">
        <SetLevel stage={stage} />
        <span className="cap truncate">
          the gain at which song or loop measures what you ask for, tried first
        </span>
      </div>
      <div className="grid place-items-center border border-line bg-well text-[16px] font-[620] text-rim">
        {summary}
      </div>
      <Controls stage={stage} />
    </div>
  );
}
