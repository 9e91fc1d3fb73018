import { useCallback } from "react";
import { useBench } from "../state/store";
import type { Stage } from "../api/types";
import type { Frame } from "../plots/plot";
import { drawGridX, drawGridY, xAt, yAt } from "../plots/plot";
import { withMinus } from "../ui/format";
import type { Axis } from "../ui/scale";
import { colour, useCanvas } from "../ui/useCanvas";
import { Controls } from "./Controls";
import { Presets } from "./Presets";

const LEVELS: Axis = { low: -72, high: 0 };
/** Lengths of the time axis; it takes the shortest that holds the decay. */
const LENGTHS_S = [0.2, 0.5, 1, 2, 4, 6];

/** How the space dies away after a click in the middle. */
export default function RoomView({ stage }: { stage: Extract<Stage, { kind: "room" }> }) {
  const mono = useBench((s) => s.described[stage.id]?.picture.mono_db);
  return (
    <div className="grid h-full min-h-0 grid-cols-[minmax(0,1fr)] grid-rows-[26px_minmax(130px,1fr)_minmax(0,max-content)] gap-y-2">
      <div className="tools">
        <Presets id={stage.id} kind={stage.kind} />
        <span className="cap min-w-0 truncate">
          the answer to a click in the middle
          {mono === undefined
            ? ""
            : ` · in mono the space alone is ${withMinus((-mono).toFixed(1))} dB quieter, the sound itself not at all`}
        </span>
      </div>
      <DecayPicture stage={stage.id} />
      <Controls stage={stage} />
    </div>
  );
}

function DecayPicture({ stage }: { stage: string }) {
  const picture = useBench((s) => s.described[stage]?.picture);
  const ref = useCanvas(
    useCallback(
      (context, width, height) => {
        const frame: Frame = { left: 34, top: 12, width: width - 44, height: height - 34 };
        const { s: times = [], level_db: levels = [] } = picture ?? {};
        const longest = times.at(-1) ?? 1;
        const time: Axis = { low: 0, high: LENGTHS_S.find((length) => length >= longest) ?? longest };
        drawGridX(
          context,
          frame,
          time,
          [0, 1, 2, 3, 4].map((k) => (k * time.high) / 4),
          (at) => `${Number(at.toPrecision(3))} s`,
        );
        drawGridY(context, frame, LEVELS, [0, -20, -40, -60]);
        const step = xAt(frame, time, times[1] ?? 0) - xAt(frame, time, times[0] ?? 0);
        const floor = yAt(frame, LEVELS, LEVELS.low);
        levels.forEach((db, i) => {
          const y = yAt(frame, LEVELS, Math.max(LEVELS.low, db));
          context.fillStyle = colour(db < -60 ? "trough" : "copper2");
          context.fillRect(xAt(frame, time, times[i]!), y, Math.max(1, step - 0.6), floor - y);
        });
        context.fillStyle = colour("rim");
        context.fillRect(frame.left, yAt(frame, LEVELS, -60) - 0.5, frame.width, 1);
      },
      [picture],
    ),
  );
  return (
    <div className="picture">
      <canvas ref={ref} role="img" aria-label="How the space dies away, in dB over time" />
    </div>
  );
}
