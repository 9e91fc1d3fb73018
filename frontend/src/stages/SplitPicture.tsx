import { useRef } from "react";
import { useStageDetails } from "../state/useStageDetails";
import { useBench } from "../state/store";
import type { Split } from "../tree/splits";
import { colour, useMovingCanvas } from "../ui/useCanvas";
import { useSize } from "../ui/useSize";
import { Crossovers } from "./Crossovers";
import { DraggedValue } from "../plots/DraggedValue";
import type { Frame } from "../plots/plot";
import { drawGridX, drawGridY, drawLine, HZ_TICKS, hzLabel, xAt } from "../plots/plot";
import { useRangeDrag } from "../plots/useRangeDrag";
import { drawInside, fillInside, LEVELS, spectra } from "../plots/useSpectra";
import type { Axis } from "../ui/scale";

const HZ: Axis = { low: 20, high: 20000, log: true };
const DASHES = [[], [6, 3], [2, 3], [9, 3, 2, 3], [4, 2], [1, 3], [12, 4], [6, 2, 1, 2]];

function frameOf(width: number, height: number): Frame {
  return { left: 34, top: 8, width: width - 44, height: height - 30 };
}

/** What comes in, and over it what each branch gives; crossovers are dragged. */
export function SplitPicture({ stage }: { stage: Split }) {
  const { by, branches, crossovers_hz: corners } = stage.params;
  const solo = useBench((s) => s.listening.solo);
  const box = useRef<HTMLDivElement>(null);
  const size = useSize(box);
  const range = useRangeDrag(HZ, { left: 34, right: 10 });
  useStageDetails(stage.id);
  const alone = branches.some(({ id }) => solo.includes(id));
  const isHeard = (id: string, muted: boolean) => (alone ? solo.includes(id) : !muted);

  const ref = useMovingCanvas((context, width, height) => {
    const frame = frameOf(width, height);
    spectra.update();
    const edges = [HZ.low, ...corners, HZ.high].map((hz) => xAt(frame, HZ, hz));
    if (by === "bands")
      branches.forEach(({ id }, i) => {
        context.fillStyle = colour(solo.includes(id) ? "rim2" : i % 2 ? "well" : "enamel");
        context.fillRect(edges[i]!, frame.top, edges[i + 1]! - edges[i]!, frame.height);
      });
    drawGridX(context, frame, HZ, HZ_TICKS.slice(1), hzLabel);
    drawGridY(context, frame, LEVELS, [0, -12, -24, -36, -48, -60, -72]);
    fillInside(context, frame, HZ, "in");
    branches.forEach(({ id, gain_db: gain, muted }, i) => {
      const heard = isHeard(id, muted);
      const ink = heard ? (alone ? "rim" : "steel") : "tin";
      const width_px = heard && alone ? 2.2 : heard ? 1.4 : 0.9;
      const dash = by === "bands" ? [] : DASHES[i]!;
      drawInside(context, frame, HZ, id, gain, { ink, width: width_px, dash });
    });
    context.font = "640 12px 'Archivo Variable', sans-serif";
    branches.forEach((branch, i) => {
      const state = solo.includes(branch.id) ? " · heard alone" : branch.muted ? " · muted" : "";
      const text = (branch.name || branch.id) + state;
      context.textAlign = "left";
      context.fillStyle = colour(isHeard(branch.id, branch.muted) ? "rim" : "mute");
      if (by === "bands") {
        const room = edges[i + 1]! - edges[i]! - 14;
        context.fillText(text, edges[i]! + 8, frame.top + 16, Math.max(room, 10));
        return;
      }
      const y = frame.top + 16 + i * 15;
      const left = frame.left + frame.width - 170;
      const ink = isHeard(branch.id, branch.muted) ? "steel" : "tin";
      drawLine(context, frame, [left, left + 22], [y - 4, y - 4], { ink, width: 1.6, dash: DASHES[i]! });
      context.fillText(text, left + 28, y, 142);
    });
  });

  return (
    <div ref={box} className="picture touch-none" {...range.handlers} title="Shift-drag to solo a range">
      {range.shown && <DraggedValue shown={range.shown} />}
      <canvas ref={ref} role="img" aria-label="What comes into the split, and what each branch gives" />
      {size.width > 0 && by === "bands" && (
        <Crossovers stage={stage} frame={frameOf(size.width, size.height)} axis={HZ} />
      )}
    </div>
  );
}
