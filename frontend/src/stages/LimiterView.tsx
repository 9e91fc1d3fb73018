import { useBench } from "../state/store";
import type { Stage } from "../api/types";
import { Controls } from "./Controls";
import { CurvePicture } from "./CurvePicture";
import { PushPicture, PushTools } from "./LimiterDrive";
import { TimePicture } from "./TimePicture";

/** The limiter's curve or what pushing wins, and peaks before and after with what it takes off over the passage. */
export default function LimiterView({ stage }: { stage: Extract<Stage, { kind: "limiter" }> }) {
  const picture = useBench((s) => s.described[stage.id]?.picture);
  const { ceiling_db: ceiling, gain_db: gain } = stage.params;
  return (
    <div className="grid h-full min-h-0 grid-cols-[minmax(0,1fr)] grid-rows-[26px_minmax(110px,1fr)_minmax(0,max-content)] gap-y-2">
      <PushTools stage={stage} />
      <div className="grid min-h-0 grid-cols-[218px_1fr] gap-[10px]">
        <PushPicture stage={stage}>
          <CurvePicture
            stage={stage.id}
            inDb={picture?.in_db ?? []}
            outDb={picture?.out_db ?? []}
            threshold={ceiling - gain}
            makeupDb={gain}
            axis={{ low: -24, high: 0 }}
            ticks={[-24, -18, -12, -6, 0]}
          />
        </PushPicture>
        <TimePicture
          stage={stage}
          deepestDb={-36}
          level={{ db: ceiling - gain, label: "begins" }}
          effortDb={4}
          leavesDb={gain}
        />
      </div>
      <Controls stage={stage} />
    </div>
  );
}
