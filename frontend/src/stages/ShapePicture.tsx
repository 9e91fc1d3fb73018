import { useBench } from "../state/store";
import { colour, useMovingCanvas } from "../ui/useCanvas";
import { heardNow } from "../state/useLiveReadings";
import type { Frame } from "../plots/plot";
import { drawAxes, drawGridX, drawGridY, drawLine, xAt, yAt } from "../plots/plot";
import type { Axis } from "../ui/scale";

const BAR_SHARE = 0.22;

/** A shaping curve, level in to level out, with how often which level meets it and leaves it. */
export function ShapePicture({ stage, axis, ticks }: { stage: string; axis: Axis; ticks: number[] }) {
  const picture = useBench((s) => s.described[stage]?.picture);
  const ref = useMovingCanvas((context, width, height) => {
    const side = Math.min(width - 40, height - 42);
    const frame: Frame = { left: 30, top: 22, width: side, height: side };
    const { in_db: inDb = [], out_db: outDb = [], classes_db: classes = [] } = picture ?? {};
    const { drive_db: drive = 0, trim_db: trim = 0 } = picture ?? {};
    drawGridX(context, frame, axis, ticks);
    drawGridY(context, frame, axis, ticks);
    const curves = heardNow()?.meters.curves;
    const { share_before: before, share_after: after } = curves ?? {};
    context.save();
    context.beginPath();
    context.rect(frame.left, frame.top, frame.width, frame.height);
    context.clip();
    classes.slice(0, -1).forEach((low, i) => {
      const high = classes[i + 1]!;
      context.fillStyle = colour("trough");
      const [left, right] = [low, high].map((db) => xAt(frame, axis, db - drive)) as [number, number];
      const tall = (before?.[i] ?? 0) * BAR_SHARE * frame.height;
      context.fillRect(left, frame.top + frame.height - tall, right - left - 1, tall);
      context.fillStyle = colour("copper2");
      const [bottom, top] = [low, high].map((db) => yAt(frame, axis, db + trim)) as [number, number];
      context.fillRect(frame.left, top, (after?.[i] ?? 0) * BAR_SHARE * frame.width, bottom - top - 1);
    });
    const ends = [axis.low, axis.high];
    const plain = { ink: "tin", width: 1, dash: [3, 3] };
    const offset = drive + trim;
    drawLine(
      context,
      frame,
      ends.map((db) => xAt(frame, axis, db)),
      ends.map((db) => yAt(frame, axis, db + offset)),
      plain,
    );
    drawLine(
      context,
      frame,
      inDb.map((db) => xAt(frame, axis, db)),
      outDb.map((db) => yAt(frame, axis, db)),
      { ink: "rim", width: 2.4 },
    );
    context.restore();
    drawAxes(context, frame, "output against input, dB");
  });
  return (
    <div className="picture">
      <canvas
        ref={ref}
        role="img"
        aria-label="The curve, level in to level out, and how often which level meets it and leaves it"
      />
    </div>
  );
}
