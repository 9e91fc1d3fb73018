import type { Stage } from "../api/types";
import { Controls } from "./Controls";
import { Presets } from "./Presets";
import { TimePicture } from "./TimePicture";

/** The line that it steers to over what comes in, and the gain along the passage. */
export default function LevellerView({ stage }: { stage: Extract<Stage, { kind: "leveller" }> }) {
  return (
    <div className="grid h-full min-h-0 grid-cols-[minmax(0,1fr)] grid-rows-[26px_minmax(130px,1fr)_minmax(0,max-content)] gap-y-2">
      <div className="tools">
        <Presets id={stage.id} kind={stage.kind} />
        <span className="cap min-w-0 truncate">
          Gives each note one gain towards the long-term average; rests are not raised.
        </span>
      </div>
      <TimePicture
        stage={stage}
        reads={{ input: "level_now", heard: "level_average", effort: "effort_db" }}
        heardIs="long-term average"
        deepestDb={-60}
        level={null}
        effortDb={3}
      />
      <Controls stage={stage} />
    </div>
  );
}
