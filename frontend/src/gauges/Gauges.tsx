import { useRef } from "react";
import { useBench } from "../state/store";
import { useHeardName } from "../listening/useCompareNames";
import { useSurvey } from "../state/useSurvey";
import type { Gauge } from "../live/protocol";
import { formatDb } from "../ui/format";
import { Needle } from "../ui/meterBallistics";
import { useMovingCanvas } from "../ui/useCanvas";
import { heardNow, useLiveReadings } from "../state/useLiveReadings";
import { drawBars, drawCorrelation, drawScope, NAMES } from "./drawing";

const TRAIL = 5;
/** What the eye does not follow is drawn less often. */
const SLOW_MS = 60;
/** The standard's gate: what is quieter has no loudness. */
const SILENCE = -70;

function heardLufs(lufs: number | null | undefined): string {
  return formatDb(lufs !== null && lufs !== undefined && lufs > SILENCE ? lufs : null, false, "");
}

/** What is heard at the moment, and what the whole song measures. */
export function Gauges() {
  const heardName = useHeardName(useBench((s) => s.heard));
  const saved = useBench((s) => s.saved);
  const survey = useSurvey();
  const measures = survey?.measures;
  const settled = survey?.state === "done" && saved === "saved";
  const old = settled ? "" : "stale";
  if (useBench((s) => s.blind !== null))
    return (
      <section aria-label="Gauges" className="border-l border-line bg-enamel p-3 text-mute">
        Covered while the blind test goes on.
      </section>
    );
  return (
    <section
      aria-label="Gauges"
      tabIndex={0}
      className="flex min-h-0 flex-col overflow-y-auto border-l border-line bg-enamel px-3 py-[10px]"
    >
      <span className="cap">Loudness as mastered, whole song</span>
      <div className={`flex items-baseline gap-2 ${old}`}>
        <output
          className="text-[34px] leading-none font-bold [font-stretch:88%]"
          aria-label="Integrated loudness"
        >
          {formatDb(measures?.integrated_lufs, false, "")}
        </output>
        <span className="text-mute">LUFS</span>
      </div>
      <div className="mt-2 grid min-h-[226px] [@media(max-height:720px)]:min-h-[188px] flex-[3] shrink-0 grid-cols-[128px_1fr] max-[1100px]:grid-cols-[104px_1fr] gap-x-2">
        <Bars />
        <dl className="flex flex-col gap-[7px] pt-1 [@media(max-height:720px)]:gap-[2px]">
          <Heard name="momentary" read={(gauge) => heardLufs(gauge?.momentary_lufs)} />
          <Heard name="short term" read={(gauge) => heardLufs(gauge?.short_term_lufs)} />
          <TruePeak />
          <Figure
            name="loudness range"
            value={formatDb(measures?.loudness_range_lu, false, " LU")}
            old={old}
          />
          <Figure name="PLR" value={formatDb(measures?.peak_to_loudness_lu, false, " LU")} old={old} />
        </dl>
      </div>
      <div className="cap mt-1">correlation, {heardName.toLowerCase()}</div>
      <Correlation />
      <div className="mt-1 grid min-h-[130px] [@media(max-height:720px)]:min-h-[96px] flex-[2] shrink-0 grid-cols-[1fr_72px] gap-2">
        <Scope />
        <dl className={`flex flex-col gap-[7px] [@media(max-height:720px)]:gap-[2px] ${old}`}>
          <Figure name="song's peak" value={formatDb(measures?.true_peak_dbtp, false, "")} />
          <Figure name="mono loss" value={formatDb(measures?.mono_loss_lu, false, " LU")} />
          <Figure
            name="lows in side"
            value={measures ? `${(measures.side_energy_below_120hz * 100).toFixed(1)} %` : "—"}
          />
        </dl>
      </div>
    </section>
  );
}

function Figure({
  name,
  value,
  tone = "",
  old = "",
}: {
  name: string;
  value: string;
  tone?: string;
  old?: string;
}) {
  return (
    <div className={old}>
      <dt className="cap">{name}</dt>
      <dd className={`figure ${tone}`}>{value}</dd>
    </div>
  );
}

function Heard({ name, read }: { name: string; read: (gauge: Gauge | null) => string }) {
  return <Figure name={name} value={useLiveReadings((heard) => read(heard?.gauge ?? null))} />;
}

function TruePeak() {
  const db = useLiveReadings((heard) => {
    const peak = heard?.gauge?.true_peak_dbtp ?? SILENCE;
    return peak > SILENCE ? peak : null;
  });
  return (
    <Figure
      name="true peak max"
      value={formatDb(db, false, "")}
      tone={db !== null && db > 0 ? "text-copper" : "text-green"}
    />
  );
}

function Bars() {
  const needles = useRef(NAMES.map(() => new Needle()));
  const ref = useMovingCanvas((context, width, height) => {
    const playing = useBench.getState().playing;
    const gauge = playing ? heardNow()?.gauge : undefined;
    const now = performance.now() / 1000;
    needles.current.forEach((needle, i) => needle.rise(gauge?.levels_db[i] ?? -200, now));
    drawBars(context, width, height, needles.current);
  });
  return (
    <canvas
      ref={ref}
      role="img"
      aria-label="Peak levels of left, right, mid and side"
      className="h-full w-full"
    />
  );
}

function Correlation() {
  const ref = useMovingCanvas(
    (context, width) =>
      drawCorrelation(
        context,
        width,
        useBench.getState().playing ? (heardNow()?.gauge?.correlation ?? null) : null,
      ),
    SLOW_MS,
  );
  return (
    <canvas
      ref={ref}
      role="img"
      aria-label="Correlation of left and right"
      className="h-[28px] w-full shrink-0"
    />
  );
}

function Scope() {
  const trail = useRef<Gauge["scope"][]>([]);
  const ref = useMovingCanvas((context, width, height) => {
    const scope = useBench.getState().playing ? heardNow()?.gauge?.scope : undefined;
    if (!scope) trail.current = [];
    else if (scope !== trail.current.at(-1)) trail.current = [...trail.current, scope].slice(-TRAIL);
    drawScope(context, width, height, trail.current);
  }, SLOW_MS);
  return (
    <div className="picture">
      <canvas ref={ref} role="img" aria-label="Stereo image: mid upwards, side across" />
    </div>
  );
}
