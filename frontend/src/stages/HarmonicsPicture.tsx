import { useCallback } from "react";
import { useBench } from "../state/store";
import { withMinus } from "../ui/format";
import type { Axis } from "../ui/scale";
import { colour, useCanvas } from "../ui/useCanvas";
import type { Frame } from "../plots/plot";
import { drawGridY, yAt } from "../plots/plot";

const LEVELS: Axis = { low: -100, high: 0 };
const INNER = 0.5;

/** Levels of the harmonics that a test tone gets, below its first. */
export function HarmonicsPicture({ stage }: { stage: string }) {
  const harmonics = useBench((s) => s.described[stage]?.picture.harmonics_db);
  const tone = useBench((s) => s.described[stage]?.picture.tone_db) ?? 0;
  const ref = useCanvas(
    useCallback(
      (context, width, height) => {
        const frame: Frame = { left: 30, top: 20, width: width - 38, height: height - 38 };
        drawGridY(context, frame, LEVELS, [0, -50, -100]);
        const levels = [0, ...(harmonics ?? [])];
        const step = frame.width / Math.max(9, levels.length);
        context.textAlign = "center";
        levels.forEach((db, i) => {
          const y = yAt(frame, LEVELS, Math.max(LEVELS.low, db));
          const x = frame.left + (i + 0.5) * step;
          context.fillStyle = colour(i === 0 ? "rim" : "copper");
          context.fillRect(x - (step * INNER) / 2, y, step * INNER, frame.top + frame.height - y);
          context.fillStyle = colour("mute");
          context.fillText(String(i + 1), x, height - 5);
        });
        context.textAlign = "left";
        context.font = "500 10.5px 'Archivo Variable', sans-serif";
        context.fillText(`harmonics of a tone at ${withMinus(String(tone))} dB`, frame.left, 12);
      },
      [harmonics, tone],
    ),
  );
  return (
    <div className="picture">
      <canvas ref={ref} role="img" aria-label="Harmonics of a test tone, dB below its first" />
    </div>
  );
}
