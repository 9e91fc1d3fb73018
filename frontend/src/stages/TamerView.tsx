import { useRef } from "react";
import type { Stage } from "../api/types";
import { setParam } from "../state/editing";
import { edit } from "../state/edits";
import { useStageDetails } from "../state/useStageDetails";
import { heardNow } from "../state/useLiveReadings";
import { useBench } from "../state/store";
import { formatHz } from "../ui/format";
import type { Axis } from "../ui/scale";
import { colour, useMovingCanvas } from "../ui/useCanvas";
import { useSize } from "../ui/useSize";
import { Controls } from "./Controls";
import { Crossover } from "./Crossover";
import { Presets } from "./Presets";
import { usePassage, useSeries } from "./usePassage";
import type { Frame } from "../plots/plot";
import { drawGridX, drawGridY, drawLegend, drawLine, HZ_TICKS, hzLabel, xAt, yAt } from "../plots/plot";

type TamerStage = Extract<Stage, { kind: "tamer" }>;
const HZ: Axis = { low: 20, high: 20000, log: true };
const SLOPE_DB_OCT = 3;
const LEVELS: Axis = { low: -96, high: -12 };
/** above the plot, for the legend */
const TOP = 22;
const ENDS = ["focus_low_hz", "focus_high_hz"] as const;

function frames(width: number, height: number): [Frame, Frame] {
  const inner = { left: 34, width: width - 44 };
  const tall = height - TOP - 26;
  return [
    { ...inner, top: TOP, height: tall * 0.7 },
    { ...inner, top: TOP + 8 + tall * 0.7, height: tall * 0.3 },
  ];
}

/** What stands out: the spectrum, the line it is held against, the threshold over it; below, what is taken. */
export default function TamerView({ stage }: { stage: TamerStage }) {
  const delay = useBench(
    (s) => (s.described[stage.id]?.picture as { delay_ms?: number } | undefined)?.delay_ms,
  );
  useStageDetails(stage.id);
  return (
    <div className="grid h-full min-h-0 grid-cols-[minmax(0,1fr)] grid-rows-[26px_minmax(150px,1fr)_minmax(0,max-content)] gap-y-2">
      <div className="tools">
        <Presets id={stage.id} kind={stage.kind} />
        <span className="cap min-w-0 truncate">
          dotted: threshold over the reference, and below the average cut over the song
          {delay ? ` · ${delay} ms latency` : ""}
        </span>
      </div>
      <TamerPicture stage={stage} />
      <Controls stage={stage} />
    </div>
  );
}

function TamerPicture({ stage }: { stage: TamerStage }) {
  const hz = useBench((s) => s.described[stage.id]?.picture.hz) ?? [];
  const { threshold_db: threshold, max_cut_db: most } = stage.params;
  const box = useRef<HTMLDivElement>(null);
  const size = useSize(box);
  const average = useSeries(stage.id, usePassage())?.curves.cut_db ?? [];

  const ref = useMovingCanvas((context, width, height) => {
    const [upper, lower] = frames(width, height);
    const cut: Axis = { low: -Math.max(6, most), high: 0 };
    const [low, high] = ENDS.map((end) => xAt(upper, HZ, stage.params[end])) as [number, number];
    context.fillStyle = colour("rim2");
    if (high > low) context.fillRect(low, upper.top, high - low, lower.top + lower.height - upper.top);
    drawGridX(context, upper, HZ, HZ_TICKS.slice(1), () => "");
    drawGridX(context, lower, HZ, HZ_TICKS.slice(1), hzLabel);
    drawGridY(context, upper, LEVELS, [-24, -48, -72, -96]);
    drawGridY(context, lower, cut, [0, cut.low / 2, cut.low], "copper");
    const curves = heardNow()?.meters.curves;
    if (!curves?.level_db || curves.level_db.length !== hz.length) return;
    const xs = hz.map((at) => xAt(upper, HZ, at));
    const lift = hz.map((at) => SLOPE_DB_OCT * Math.log2(at / 1000));
    const y = (db: number, i: number) =>
      yAt(upper, LEVELS, Math.max(LEVELS.low, Math.min(LEVELS.high, db + lift[i]!)));
    const level = Array.from(curves.level_db, y);
    context.beginPath();
    context.moveTo(xs[0]!, upper.top + upper.height);
    level.forEach((at, i) => context.lineTo(xs[i]!, at));
    context.lineTo(xs.at(-1)!, upper.top + upper.height);
    context.fillStyle = colour("trough");
    context.fill();
    drawLine(context, upper, xs, level, { ink: "tin", width: 1.1 });
    const reference = Array.from(curves.reference_db ?? []);
    drawLine(context, upper, xs, reference.map(y), { ink: "rim", width: 1.8 });
    const over = reference.map((db, i) => y(db + threshold, i));
    drawLine(context, upper, xs, over, { ink: "rim", width: 1.2, dash: [2, 3] });
    const taken = Array.from(curves.cut_db ?? []);
    const down = (db: number) => yAt(lower, cut, Math.max(cut.low, -db));
    context.fillStyle = colour("copper2");
    taken.forEach((db, i) => {
      const next = xs[i + 1] ?? lower.left + lower.width;
      if (db > 0.05) context.fillRect(xs[i]!, lower.top, next - xs[i]!, down(db) - lower.top);
    });
    drawLine(context, lower, xs, taken.map(down), { ink: "copper", width: 1.5 });
    drawLine(context, lower, xs, average.map(down), { ink: "copper", width: 0.9, dash: [2, 2] });
    drawLegend(context, upper, [
      { ink: "tin", text: "input" },
      { ink: "rim", text: "reference" },
      { ink: "copper", text: "cut" },
    ]);
  });

  const whole: Frame = { left: 34, top: 8, width: size.width - 44, height: size.height - 26 };
  return (
    <div ref={box} className="picture touch-none">
      <canvas ref={ref} role="img" aria-label="The spectrum, its reference, and the cut" />
      {size.width > 0 &&
        ENDS.map((end, index) => (
          <Crossover
            key={end}
            hz={stage.params[end]}
            number={index + 1}
            name={index ? "End of the focus" : "Begin of the focus"}
            frame={whole}
            axis={HZ}
            onMove={(next) => {
              const { recipe } = useBench.getState();
              if (!recipe) return;
              const other = stage.params[ENDS[1 - index]!];
              const moved = index ? Math.max(next, other * 1.05) : Math.min(next, other / 1.05);
              const at = Number(Math.max(20, Math.min(20000, moved)).toPrecision(3));
              edit(
                setParam(recipe, stage.id, end, at),
                `Tamer: focus ${index ? "to" : "from"} ${formatHz(at)}`,
              );
            }}
          />
        ))}
    </div>
  );
}
