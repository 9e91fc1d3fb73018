import type { Stage } from "../api/types";
import { Controls } from "./Controls";
import { Presets } from "./Presets";
import { TimePicture } from "./TimePicture";

/** The envelope before and after, and the gain of hits and of what follows them. */
export default function TransientsView({ stage }: { stage: Extract<Stage, { kind: "transients" }> }) {
  return (
    <div className="grid h-full min-h-0 grid-cols-[minmax(0,1fr)] grid-rows-[26px_minmax(130px,1fr)_minmax(0,max-content)] gap-y-2">
      <div className="tools">
        <Presets id={stage.id} kind={stage.kind} />
        <span className="cap min-w-0 truncate">
          A rise in level is a hit for as long as Speed says; everything else is body.
        </span>
      </div>
      <TimePicture
        stage={stage}
        reads={{ input: "level_quick", heard: "level_shaped", effort: "effort_db" }}
        heardIs="the envelope afterwards"
        deepestDb={-60}
        level={null}
        effortDb={6}
      />
      <Controls stage={stage} />
    </div>
  );
}
