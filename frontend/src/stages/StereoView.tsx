import { useRef } from "react";
import type { Stage } from "../api/types";
import { setParams } from "../state/editing";
import { edit } from "../state/edits";
import { RiddenRule } from "../rides/RiddenRule";
import { rest } from "../state/saving";
import { paramInfo, useBench } from "../state/store";
import { cornersFor } from "../tree/splits";
import { formatHz } from "../ui/format";
import { colour, useMovingCanvas } from "../ui/useCanvas";
import { useSize } from "../ui/useSize";
import type { Axis, Frame } from "../plots/plot";
import { drawGridX, drawGridY, drawLine, HZ_TICKS, hzLabel, xAt, yAt } from "../plots/plot";
import { Controls } from "./Controls";
import { Crossovers } from "./Crossovers";
import { StartingPoints } from "./StartingPoints";

type StereoStage = Extract<Stage, { kind: "stereo" }>;
const HZ: Axis = { low: 20, high: 20000, log: true };
const GAIN: Axis = { low: -36, high: 12 };
const MOST = 5;

function change(
  stage: StereoStage,
  values: Partial<StereoStage["params"]>,
  label: string,
  resting = false,
): void {
  const { recipe } = useBench.getState();
  if (recipe) edit(setParams(recipe, stage.id, values), `Stereo: ${label}`, resting);
}

/** The stage with so many ranges; one alone is the whole. */
function withRanges(stage: StereoStage, count: number): void {
  const { widths, crossovers_hz: corners } = stage.params;
  if (count < 2) change(stage, { widths: [], crossovers_hz: [] }, "one width", true);
  else {
    const made = [...widths, ...Array.from({ length: count }, () => 1)].slice(0, count);
    change(stage, { widths: made, crossovers_hz: cornersFor(corners, count) }, `${count} ranges`, true);
  }
}

/** How much of what differs between the sides is left over the spectrum; a width a range. */
export default function StereoView({ stage }: { stage: StereoStage }) {
  const { widths, crossovers_hz: corners } = stage.params;
  const width = paramInfo("stereo", "width");
  const edges = [20, ...corners, 20000];
  const count = Math.max(1, widths.length);
  return (
    <div className="grid h-full min-h-0 grid-cols-[minmax(0,1fr)] grid-rows-[26px_minmax(120px,1fr)_auto_minmax(0,max-content)] gap-y-2">
      <div className="flex items-center gap-3">
        <StartingPoints stage={stage} />
        <button
          type="button"
          className="plain whitespace-nowrap"
          disabled={count >= MOST}
          onClick={() => withRanges(stage, count + 1)}
        >
          + range
        </button>
        <button
          type="button"
          className="plain whitespace-nowrap"
          disabled={count < 2}
          onClick={() => withRanges(stage, count - 1)}
        >
          − range
        </button>
        <span className="cap min-w-0 truncate">
          what differs between the sides, against how it came; the middle stays
        </span>
      </div>
      <SidePicture stage={stage} />
      {widths.length > 0 && width && (
        <div
          className="grid gap-x-[18px] px-[4px]"
          style={{ gridTemplateColumns: `repeat(${count}, minmax(0, 1fr))` }}
        >
          {widths.map((value, index) => {
            const label = `${formatHz(edges[index]!)} to ${formatHz(edges[index + 1]!)}`;
            return (
              <RiddenRule
                key={index}
                target={stage.id}
                path={`widths.${index}`}
                param={{ ...width, name: `width_${index}`, label }}
                value={value}
                onMove={(next) =>
                  change(
                    stage,
                    { widths: widths.map((own, i) => (i === index ? next : own)) },
                    `width, ${label}`,
                  )
                }
                onRest={rest}
              />
            );
          })}
        </div>
      )}
      <Controls stage={stage} />
    </div>
  );
}

function SidePicture({ stage }: { stage: StereoStage }) {
  const picture = useBench((s) => s.described[stage.id]?.picture);
  const box = useRef<HTMLDivElement>(null);
  const size = useSize(box);
  const frameOf = (width: number, height: number): Frame => ({
    left: 34,
    top: 10,
    width: width - 44,
    height: height - 32,
  });
  const ref = useMovingCanvas((context, width, height) => {
    const frame = frameOf(width, height);
    drawGridX(context, frame, HZ, HZ_TICKS.slice(1), hzLabel);
    drawGridY(context, frame, GAIN, [12, 6, 0, -12, -24, -36], "mute", true);
    const { hz = [], db = [] } = picture ?? {};
    const shown = hz.map((at, i) => ({ at, db: db[i]! })).filter(({ at }) => at >= HZ.low && at <= HZ.high);
    const xs = shown.map(({ at }) => xAt(frame, HZ, at));
    const ys = shown.map((one) => yAt(frame, GAIN, Math.max(GAIN.low, Math.min(GAIN.high, one.db))));
    const nought = yAt(frame, GAIN, 0);
    context.fillStyle = colour("copper2");
    context.beginPath();
    context.moveTo(xs[0] ?? 0, nought);
    ys.forEach((y, i) => context.lineTo(xs[i]!, y));
    context.lineTo(xs.at(-1) ?? 0, nought);
    context.fill();
    drawLine(context, frame, xs, ys, { ink: "copper", width: 2 });
  });
  return (
    <div ref={box} className="picture touch-none">
      <canvas ref={ref} role="img" aria-label="What differs between the sides, over the spectrum, in dB" />
      {size.width > 0 && <Crossovers stage={stage} frame={frameOf(size.width, size.height)} axis={HZ} />}
    </div>
  );
}
