import { useStageDetails } from "../state/useStageDetails";
import type { Stage } from "../api/types";
import { Controls } from "./Controls";
import { PushPicture, PushTools } from "./LimiterDrive";
import { ScopePicture } from "./ScopePicture";
import { ShapePicture } from "./ShapePicture";
import { Presets } from "./Presets";
import { TimePicture } from "./TimePicture";

/** The ceiling and its knee with the levels that meet it, what is cut along the passage, and the last hit. */
export default function ClipperView({ stage }: { stage: Extract<Stage, { kind: "clipper" }> }) {
  const { ceiling_db: ceiling, drive_db: drive } = stage.params;
  useStageDetails(stage.id);
  return (
    <div className="grid h-full min-h-0 grid-cols-[minmax(0,1fr)] grid-rows-[26px_minmax(150px,1fr)_minmax(0,max-content)] gap-y-2">
      <PushTools stage={stage}>
        <Presets id={stage.id} kind={stage.kind} />
      </PushTools>
      <div className="grid min-h-0 grid-cols-[minmax(0,218px)_minmax(0,1fr)_minmax(0,214px)] gap-[10px]">
        <PushPicture stage={stage}>
          <ShapePicture stage={stage.id} axis={{ low: -24, high: 6 }} ticks={[-24, -18, -12, -6, 0]} />
        </PushPicture>
        <TimePicture
          stage={stage}
          reads={{ input: "input_db", heard: "level_met", effort: "effort_db" }}
          heardIs="peaks that meet the ceiling"
          deepestDb={-36}
          level={{ db: Math.max(-36, Math.min(0, ceiling)), label: drive ? "ceiling" : "begins" }}
          effortDb={2}
        />
        <ScopePicture />
      </div>
      <Controls stage={stage} />
    </div>
  );
}
