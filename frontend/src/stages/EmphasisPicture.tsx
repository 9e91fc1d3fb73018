import { useCallback } from "react";
import { useBench } from "../state/store";
import { useCanvas, colour } from "../ui/useCanvas";
import type { Frame } from "../plots/plot";
import { drawGridX, drawGridY, drawLine, hzLabel, xAt, yAt } from "../plots/plot";
import type { Axis } from "../ui/scale";

const HZ: Axis = { low: 100, high: 20000, log: true };
const GAIN: Axis = { low: -30, high: 30 };

/** What is raised before the curve, and its mirror after it. */
export function EmphasisPicture({ stage }: { stage: string }) {
  const picture = useBench((s) => s.described[stage]?.picture);
  const ref = useCanvas(
    useCallback(
      (context, width, height) => {
        const frame: Frame = { left: 30, top: 20, width: width - 38, height: height - 38 };
        drawGridX(context, frame, HZ, [100, 1000, 10000], hzLabel);
        drawGridY(context, frame, GAIN, [24, 0, -24]);
        const at = (picture?.hz ?? []).map((hz, i) => ({ hz, db: picture?.emphasis_db?.[i] ?? 0 }));
        const shown = at.filter(({ hz }) => hz >= HZ.low && hz <= HZ.high);
        const xs = shown.map(({ hz }) => xAt(frame, HZ, hz));
        const line = (sign: number) => shown.map(({ db }) => yAt(frame, GAIN, sign * db));
        drawLine(context, frame, xs, line(1), { ink: "rim", width: 2 });
        drawLine(context, frame, xs, line(-1), { ink: "tin", width: 1.4, dash: [3, 3] });
        context.fillStyle = colour("mute");
        context.textAlign = "left";
        context.font = "500 10.5px 'Archivo Variable', sans-serif";
        context.fillText("blue before the curve, dashed after", frame.left, 12);
      },
      [picture],
    ),
  );
  return (
    <div className="picture">
      <canvas ref={ref} role="img" aria-label="Emphasis before the curve, and its mirror after it" />
    </div>
  );
}
