import { useQuery } from "@tanstack/react-query";
import { api } from "../api/client";
import type { Stage } from "../api/types";
import { useBench } from "../state/store";
import { useSurvey } from "../state/useSurvey";
import { formatDb, formatHz } from "../ui/format";
import type { Axis } from "../ui/scale";
import { colour, useMovingCanvas } from "../ui/useCanvas";
import type { Frame } from "../plots/plot";
import { drawGridX, drawGridY, drawLine, HZ_AXIS, HZ_TICKS, hzLabel, xAt, yAt } from "../plots/plot";
import { DraggedValue } from "../plots/DraggedValue";
import { SpectrumTools } from "../plots/SpectrumTools";
import { drawSpectra, nameFrozen, spectra } from "../plots/useSpectra";
import { useRangeDrag } from "../plots/useRangeDrag";

const CURVE: Axis = { low: -36, high: 18 };

/** The response from 8 Hz over the music before (filled) and now (line), and what it wins or loses over the song. */
export function FilterPicture({ stage }: { stage: Stage }) {
  const picture = useBench((s) => s.described[stage.id]?.picture);
  const range = useRangeDrag(HZ_AXIS, { left: 34, right: 8 });
  const part = stage.channels === "mid" ? 0 : stage.channels === "side" ? 1 : null;
  const ref = useMovingCanvas((context, width, height) => {
    const frame: Frame = { left: 34, top: 10, width: width - 42, height: height - 30 };
    spectra.update();
    drawGridX(context, frame, HZ_AXIS, HZ_TICKS, hzLabel);
    drawGridY(context, frame, CURVE, [18, 12, 6, 0, -6, -12, -18, -24, -30, -36], "mute", true);
    drawSpectra(context, frame, HZ_AXIS, part);
    nameFrozen(context, frame);
    const xs = (picture?.hz ?? []).map((hz) => xAt(frame, HZ_AXIS, hz));
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
    // what a resonance lifts most, and by how much
    context.font = "620 11px 'Archivo Variable', sans-serif";
    (picture?.bump_hz ?? []).forEach((hz, i) => {
      const db = picture?.bump_db?.[i] ?? 0;
      const [x, y] = [xAt(frame, HZ_AXIS, hz), yAt(frame, CURVE, Math.min(db, CURVE.high))];
      context.fillStyle = colour("copper");
      context.fillRect(x - 0.5, Math.min(y, zero), 1, Math.abs(zero - y));
      context.fillRect(x - 5, y - 1, 10, 2);
      context.textAlign = x > frame.left + frame.width - 130 ? "right" : "left";
      context.fillText(`${formatDb(db, true)} at ${formatHz(hz)}`, x, Math.max(y - 7, frame.top + 12));
    });
  });
  return (
    <div className="grid min-h-0 grid-rows-[26px_1fr] gap-y-1">
      <div className="flex items-center gap-4">
        <SpectrumTools />
        <Headroom stage={stage} />
        <span className="cap ml-auto shrink-0 max-[1100px]:hidden">filled: compared with · line: now</span>
      </div>
      <div className="picture touch-none" {...range.handlers} title="Shift-drag to solo a range">
        {range.shown && <DraggedValue shown={range.shown} />}
        <canvas
          ref={ref}
          role="img"
          aria-label="Frequency response of the filter over the spectrum of the music"
        />
      </div>
    </div>
  );
}

/** What the filter wins or costs over the whole song, where it stands in the chain: measured by doing it. */
function Headroom({ stage }: { stage: Stage }) {
  const songId = useBench((s) => s.song!.id);
  const revision = useBench((s) => s.revision?.id ?? 0);
  const done = useSurvey()?.state === "done";
  const { data } = useQuery({
    queryKey: ["effect", songId, revision, stage.id],
    queryFn: () => api.effect(songId, stage.id),
    enabled: done && stage.on,
    refetchInterval: ({ state }) =>
      state.data?.state === "done" || state.data?.state === "failed" ? false : 500,
    staleTime: Infinity,
  });
  if (!stage.on) return null;
  if (data?.state !== "done") return <span className="cap">measuring what it wins or costs …</span>;
  const changed = (db: number | null | undefined, unit: string) => formatDb(db, true, unit);
  return (
    <span className="truncate" data-testid="headroom">
      over the song: peak <b className="font-[650]">{changed(data.sample_peak_dbfs, " dB")}</b> · true peak{" "}
      <b className="font-[650]">{changed(data.true_peak_dbtp, " dB")}</b> · loudness{" "}
      <b className="font-[650]">{changed(data.integrated_lufs, " LU")}</b>
    </span>
  );
}
