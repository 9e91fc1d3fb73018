import { useBench } from "../bench/store";
import { colour, useMovingCanvas } from "../ui/useCanvas";
import type { Axis, Frame } from "./plot";
import { drawGridX, drawGridY, drawLine, hzLabel, xAt, yAt } from "./plot";
import { drawSpectra, spectra } from "./useSpectra";

const HZ: Axis = { low: 20, high: 20000, log: true };
const DB: Axis = { low: -36, high: 18 };

/** The detector's filters over the spectrum of what is heard: of what it listens to, while that is on. */
export function DetectorPicture({ stage }: { stage: string }) {
  const picture = useBench((s) => s.described[stage]?.picture);
  const listens = useBench((s) => s.tap === "detector");
  const ref = useMovingCanvas((context, width, height) => {
    const frame: Frame = { left: 30, top: 14, width: width - 40, height: height - 38 };
    spectra.update();
    drawGridX(context, frame, HZ, [20, 100, 1000, 10000], hzLabel);
    drawGridY(context, frame, DB, [12, 0, -12, -24, -36], "mute", true);
    drawSpectra(context, frame, HZ, null);
    const xs = (picture?.hz ?? []).map((hz) => xAt(frame, HZ, hz));
    const ys = (picture?.heard_db ?? []).map((db) => yAt(frame, DB, Math.max(-60, db)));
    drawLine(context, frame, xs, ys, { ink: "rim", width: 2.2 });
    context.fillStyle = colour("mute");
    context.font = "500 10.5px 'Archivo Variable', sans-serif";
    context.textAlign = "left";
    context.fillText(
      listens ? "line: what it listens to" : "what it listens through",
      frame.left + 8,
      frame.top + 12,
    );
  });
  return (
    <div className="picture">
      <canvas ref={ref} role="img" aria-label="What the detector listens through, over the spectrum" />
    </div>
  );
}
