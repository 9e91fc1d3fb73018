import { heardNow } from "../state/useLiveReadings";
import { colour, useMovingCanvas } from "../ui/useCanvas";
import type { Frame } from "../plots/plot";
import { drawLine, xAt, yAt } from "../plots/plot";
import type { Axis } from "../ui/scale";

const TIME_MS: Axis = { low: -2, high: 10 };
/** A quieter hit than this is drawn no larger. */
const LEAST = 0.02;

/** The first milliseconds of the last hit, before under after. */
export function ScopePicture() {
  const ref = useMovingCanvas((context, width, height) => {
    const frame: Frame = { left: 10, top: 18, width: width - 20, height: height - 36 };
    const curves = heardNow()?.meters.curves;
    const rows = [curves?.scope_before, curves?.scope_after].map((row) => Array.from(row ?? []));
    const top = rows.flat().reduce((most, x) => Math.max(most, Math.abs(x)), LEAST);
    const axis: Axis = { low: -top, high: top };
    context.fillStyle = colour("grid");
    context.fillRect(frame.left, yAt(frame, axis, 0) - 0.5, frame.width, 1);
    context.fillStyle = colour("mute");
    context.font = "500 10.5px 'Archivo Variable', sans-serif";
    context.textAlign = "center";
    for (const ms of [0, 5, 10])
      context.fillText(`${ms} ms`, xAt(frame, TIME_MS, ms) - (ms === 10 ? 10 : 0), height - 5);
    const styles = [
      { ink: "tin", width: 1.2 },
      { ink: "copper", width: 1.6 },
    ];
    rows.forEach((row, k) => {
      const xs = row.map((_, i) => frame.left + (i / Math.max(1, row.length - 1)) * frame.width);
      drawLine(
        context,
        frame,
        xs,
        row.map((x) => yAt(frame, axis, x)),
        styles[k]!,
      );
    });
    context.fillStyle = colour("mute");
    context.textAlign = "left";
    context.fillText("the last hit: grey before, copper after", frame.left, 12);
  }, 90);
  return (
    <div className="picture">
      <canvas ref={ref} role="img" aria-label="The first milliseconds of the last hit, before and after" />
    </div>
  );
}
