import { useStageDetails } from "../state/useStageDetails";
import type { Stage } from "../api/types";
import { Controls } from "./Controls";
import { EmphasisPicture } from "./EmphasisPicture";
import { HarmonicsPicture } from "./HarmonicsPicture";
import { ScopePicture } from "./ScopePicture";
import { ShapePicture } from "./ShapePicture";
import { Presets } from "./Presets";
import { TimePicture } from "./TimePicture";

/** The curve with the levels that meet it, what it rounds along the passage, the last hit, and what it adds. */
export default function SaturatorView({ stage }: { stage: Extract<Stage, { kind: "saturator" }> }) {
  useStageDetails(stage.id);
  return (
    <div className="grid h-full min-h-0 grid-cols-[minmax(0,1fr)] grid-rows-[26px_minmax(170px,1fr)_minmax(0,max-content)] gap-y-2">
      <div className="tools">
        <Presets id={stage.id} kind={stage.kind} />
        <span className="cap min-w-0 truncate">
          curve: grey bars are levels before it, copper bars levels after it
        </span>
      </div>
      <div className="grid min-h-0 grid-cols-[minmax(0,218px)_minmax(0,1fr)_minmax(0,214px)] gap-[10px]">
        <ShapePicture stage={stage.id} axis={{ low: -36, high: 6 }} ticks={[-36, -24, -12, 0]} />
        <TimePicture
          stage={stage}
          reads={{ input: "input_db", heard: "level_met", effort: "effort_db" }}
          heardIs="into the curve"
          deepestDb={-60}
          level={null}
          effortDb={2}
        />
        <div className="grid min-h-0 grid-rows-2 gap-[8px]">
          <ScopePicture />
          {stage.params.emphasis_on ? (
            <EmphasisPicture stage={stage.id} />
          ) : (
            <HarmonicsPicture stage={stage.id} />
          )}
        </div>
      </div>
      <Controls stage={stage} />
    </div>
  );
}
