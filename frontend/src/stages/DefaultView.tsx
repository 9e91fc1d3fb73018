import type { Stage } from "../api/types";
import { kindInfo, useBench } from "../state/store";
import { Controls } from "./Controls";
import { SetLevel } from "./SetLevel";

/** A stage that has nothing to draw: what it is for, its setting in words, and its controls. */
export default function DefaultView({ stage }: { stage: Stage }) {
  const summary = useBench((s) => s.described[stage.id]?.summary);
  const info = kindInfo(stage.kind);
  return (
    <div className="grid h-full min-h-0 grid-rows-[28px_minmax(130px,1fr)_minmax(0,max-content)] gap-y-2">
      <div className="tools">
        <span className="cap truncate">{info?.says}</span>
        <SetLevel stage={stage} />
      </div>
      <div className="grid place-items-center border border-line bg-well text-[16px] font-[620] text-rim">
        {summary}
      </div>
      <Controls stage={stage} />
    </div>
  );
}
