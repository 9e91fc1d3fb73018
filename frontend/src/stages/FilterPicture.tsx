import type { Stage } from "../api/types";
import { useBench } from "../bench/store";
import { useSurvey } from "../bench/useSurvey";
import { formatDb } from "../ui/format";
import { colour, useMovingCanvas } from "../ui/useCanvas";
import type { Axis, Frame } from "./plot";
import { drawGridX, drawGridY, drawLine, HZ_TICKS, hzLabel, xAt, yAt } from "./plot";
import { SpectrumTools } from "./SpectrumTools";
import { drawSpectra, spectra } from "./useSpectra";

const HZ: Axis = { low: 8, high: 24000, log: true };
const CURVE: Axis = { low: -36, high: 18 };

/** The response from 8 Hz over the music before (filled) and now (line), and what the chain won or lost by it. */
export function FilterPicture({ stage }: { stage: Stage }) {
  const picture = useBench((s) => s.described[stage.id]?.picture);
  const part = stage.channels === "mid" ? 0 : stage.channels === "side" ? 1 : null;
  const ref = useMovingCanvas((context, width, height) => {
    const frame: Frame = { left: 34, top: 10, width: width - 42, height: height - 30 };
    spectra.update();
    drawGridX(context, frame, HZ, HZ_TICKS, hzLabel);
    drawGridY(context, frame, CURVE, [18, 12, 6, 0, -6, -12, -18, -24, -30, -36], "mute", true);
    drawSpectra(context, frame, HZ, part);
    const xs = (picture?.hz ?? []).map((hz) => xAt(frame, HZ, hz));
    const ys = (picture?.db ?? []).map((db) => yAt(frame, CURVE, Math.max(-60, db)));
    // what goes, in copper, between the curve and nought
    const zero = yAt(frame, CURVE, 0);
    context.fillStyle = colour("copper2");
    context.globalAlpha = 0.35;
    ys.forEach((y, i) => {
      const next = xs[i + 1];
      if (y > zero + 0.5 && next !== undefined)
        context.fillRect(xs[i]!, zero, next - xs[i]! + 0.4, Math.min(y, frame.top + frame.height) - zero);
    });
    context.globalAlpha = 1;
    drawLine(context, frame, xs, ys, { ink: "rim", width: 2.4 });
  });
  return (
    <div className="grid min-h-0 grid-rows-[26px_1fr] gap-y-1">
      <div className="flex items-center gap-4">
        <SpectrumTools />
        <Headroom />
        <span className="cap ml-auto">filled: what now is compared with · line: now · copper: what goes</span>
      </div>
      <div className="picture">
        <canvas
          ref={ref}
          role="img"
          aria-label="Frequency response of the filter over the spectrum of the music"
        />
      </div>
    </div>
  );
}

/** What the whole chain did to peak and loudness, and what a low cut at 25 Hz would still win or lose. */
function Headroom() {
  const survey = useSurvey();
  const cut = survey?.measures?.cut_peak_db;
  if (cut === undefined || survey?.state !== "done") return null;
  return (
    <span className="truncate">
      a low cut at 25 Hz would {cut > 0 ? "raise" : "lower"} the song’s peak by{" "}
      <b className="font-[650]">{formatDb(Math.abs(cut))}</b> · below 30 Hz lie{" "}
      <b className="font-[650]">{((survey.measures?.energy_below_30hz ?? 0) * 100).toFixed(2)} %</b>
    </span>
  );
}
