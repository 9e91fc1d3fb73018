import { useRef } from "react";
import type { Stage, StageImage } from "../api/types";
import { useBench } from "../state/store";
import { colour, useMovingCanvas } from "../ui/useCanvas";
import { useSize } from "../ui/useSize";
import type { Frame } from "../plots/plot";
import { drawGridX, drawGridY, drawLine, HZ_TICKS, hzLabel, xAt, yAt } from "../plots/plot";
import { Crossovers } from "./Crossovers";
import type { Axis } from "../ui/scale";

export type ImageShown = "change" | "share" | "correlation";
const HZ: Axis = { low: 20, high: 20000, log: true };
const AXES: Record<ImageShown, { axis: Axis; ticks: number[] }> = {
  change: { axis: { low: -36, high: 12 }, ticks: [12, 6, 0, -12, -24, -36] },
  share: { axis: { low: 0, high: 100 }, ticks: [100, 75, 50, 25, 0] },
  correlation: { axis: { low: -1, high: 1 }, ticks: [1, 0.5, 0, -0.5, -1] },
};
export const SHOWN_IN_WORDS: Record<ImageShown, string> = {
  change: "what differs between the sides, against how it came, in dB; the middle stays",
  share: "share of what differs between the sides, in %: grey as it comes, plum as it leaves",
  correlation:
    "how far left and right agree: grey as it comes, plum as it leaves; below 0 it cancels in mono",
};

interface Props {
  stage: Extract<Stage, { kind: "stereo" }>;
  shown: ImageShown;
  image: StageImage | null;
}

function frameOf(width: number, height: number): Frame {
  return { left: 34, top: 10, width: width - 44, height: height - 32 };
}

/** The sides over the spectrum: what the stage changes of them, or what they are before and after. */
export function ImagePicture({ stage, shown, image }: Props) {
  const picture = useBench((s) => s.described[stage.id]?.picture);
  const box = useRef<HTMLDivElement>(null);
  const size = useSize(box);
  const ref = useMovingCanvas((context, width, height) => {
    const frame = frameOf(width, height);
    const { axis, ticks } = AXES[shown];
    drawGridX(context, frame, HZ, HZ_TICKS.slice(1), hzLabel);
    drawGridY(context, frame, axis, ticks, "mute", shown !== "share");
    if (shown === "change") drawChange(context, frame, picture?.hz ?? [], picture?.db ?? []);
    else if (image) drawImage(context, frame, image, shown);
  });
  return (
    <div ref={box} className="picture touch-none">
      <canvas ref={ref} role="img" aria-label={`Over the spectrum: ${SHOWN_IN_WORDS[shown]}`} />
      {size.width > 0 && <Crossovers stage={stage} frame={frameOf(size.width, size.height)} axis={HZ} />}
    </div>
  );
}

function drawChange(context: CanvasRenderingContext2D, frame: Frame, hz: number[], db: number[]): void {
  const { axis } = AXES.change;
  const shown = hz.map((at, i) => ({ at, db: db[i]! })).filter(({ at }) => at >= HZ.low && at <= HZ.high);
  const xs = shown.map(({ at }) => xAt(frame, HZ, at));
  const ys = shown.map((one) => yAt(frame, axis, Math.max(axis.low, Math.min(axis.high, one.db))));
  const nought = yAt(frame, axis, 0);
  context.fillStyle = colour("copper2");
  context.beginPath();
  context.moveTo(xs[0] ?? 0, nought);
  ys.forEach((y, i) => context.lineTo(xs[i]!, y));
  context.lineTo(xs.at(-1) ?? 0, nought);
  context.fill();
  drawLine(context, frame, xs, ys, { ink: "copper", width: 2 });
}

function drawImage(
  context: CanvasRenderingContext2D,
  frame: Frame,
  image: StageImage,
  shown: "share" | "correlation",
): void {
  const { axis } = AXES[shown];
  const xs = image.before.hz.map((hz) => xAt(frame, HZ, hz));
  const rowOf = (one: StageImage["before"]) =>
    (shown === "share" ? one.side_share : one.correlation).map((value) =>
      value === null ? NaN : yAt(frame, axis, shown === "share" ? 100 * value : value),
    );
  drawLine(context, frame, xs, rowOf(image.before), { ink: "tin", width: 1.5 });
  drawLine(context, frame, xs, rowOf(image.after), { ink: "plum", width: 2 });
}
