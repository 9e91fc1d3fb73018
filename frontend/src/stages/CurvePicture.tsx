import { colour, useMovingCanvas } from "../ui/useCanvas";
import { heardNow } from "../state/useLiveReadings";
import type { Frame } from "../plots/plot";
import { drawAxes, drawGridX, drawGridY, drawLine, xAt, yAt } from "../plots/plot";
import type { Axis } from "../ui/scale";

interface Props {
  stage: string;
  inDb: number[];
  outDb: number[];
  /** Where the stage begins to work, dB. */
  threshold: number;
  makeupDb: number;
  axis: Axis;
  ticks: number[];
}

/** The static curve, level in to level out, with where the music is on it now. */
export function CurvePicture({ stage, inDb, outDb, threshold, makeupDb, axis, ticks }: Props) {
  const ref = useMovingCanvas((context, width, height) => {
    // level against level is square
    const side = Math.min(width - 40, height - 42);
    const frame: Frame = { left: 30, top: 22, width: side, height: side };
    drawGridX(context, frame, axis, ticks);
    drawGridY(context, frame, axis, ticks);
    const ends = [axis.low, axis.high];
    const line = { ink: "tin", width: 1, dash: [3, 3] };
    drawLine(
      context,
      frame,
      ends.map((v) => xAt(frame, axis, v)),
      ends.map((v) => yAt(frame, axis, v)),
      line,
    );
    const xs = inDb.map((v) => xAt(frame, axis, v));
    drawLine(
      context,
      frame,
      xs,
      outDb.map((v) => yAt(frame, axis, v)),
      { ink: "rim", width: 2.4 },
    );
    const at = [threshold, threshold].map((v) => xAt(frame, axis, v));
    drawLine(context, frame, at, [frame.top, frame.top + frame.height], {
      ink: "copper",
      width: 1,
      dash: [2, 3],
    });
    const reading = heardNow()?.meters.stages[stage];
    if (reading?.heard_db?.length) {
      const last = reading.heard_db.length - 1;
      const level = reading.heard_db[last]!;
      const out = level + (reading.effort_db?.[last] ?? 0) + makeupDb;
      if (level > axis.low)
        drawDiamond(context, xAt(frame, axis, level), yAt(frame, axis, Math.max(axis.low, out)));
    }
    drawAxes(context, frame, "output against input, dB");
  });
  return (
    <div className="picture">
      <canvas ref={ref} role="img" aria-label="Static curve: level in to level out" />
    </div>
  );
}

function drawDiamond(context: CanvasRenderingContext2D, x: number, y: number): void {
  context.fillStyle = colour("copper");
  context.beginPath();
  context.moveTo(x, y - 5.5);
  context.lineTo(x + 5.5, y);
  context.lineTo(x, y + 5.5);
  context.lineTo(x - 5.5, y);
  context.fill();
}
