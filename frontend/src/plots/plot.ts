/** Axes of the pictures: where values lie, and the lines and figures behind them. */
import { withMinus } from "../ui/format";
import type { Axis } from "../ui/scale";
import { along, back } from "../ui/scale";
import { AXIS_FONT, colour } from "../ui/useCanvas";

export interface Frame {
  left: number;
  top: number;
  width: number;
  height: number;
}

/** Frequencies of a picture, from 8 Hz: what lies there costs headroom and is not heard. */
export const HZ_AXIS: Axis = { low: 8, high: 24000, log: true };

export function xAt(frame: Frame, axis: Axis, value: number): number {
  return frame.left + along(axis, value) * frame.width;
}

export function yAt(frame: Frame, axis: Axis, value: number): number {
  return frame.top + (1 - along(axis, value)) * frame.height;
}

/** From full scale down to where most of the levels and a threshold lie, in steps of 12 dB. */
export function levelAxis(levels_db: readonly number[], threshold_db: number, deepest_db: number): Axis {
  const sorted = levels_db.filter((db) => !Number.isNaN(db)).sort((a, b) => a - b);
  const quiet = sorted[Math.floor(sorted.length / 10)] ?? deepest_db;
  const low = 12 * Math.floor((Math.min(quiet, threshold_db) - 2) / 12);
  return { low: Math.max(deepest_db, Math.min(-24, low)), high: 0 };
}

/** Round levels from the top of an axis down, in steps that leave room. */
export function ticksOf({ low, high }: Axis): number[] {
  const step = high - low <= 24 ? 6 : 12;
  return Array.from({ length: Math.floor((high - low) / step) + 1 }, (_, i) => high - i * step);
}

export function drawGridY(
  context: CanvasRenderingContext2D,
  frame: Frame,
  axis: Axis,
  values: number[],
  ink = "mute",
  signed = false,
): void {
  context.font = AXIS_FONT;
  context.textAlign = "right";
  for (const value of values) {
    const y = yAt(frame, axis, value);
    context.fillStyle = colour("grid");
    context.fillRect(frame.left, y - 0.5, frame.width, 1);
    context.fillStyle = colour(ink);
    const sign = signed && value > 0 ? "+" : "";
    context.fillText(sign + withMinus(String(value)), frame.left - 5, y + 3);
  }
}

export function drawGridX(
  context: CanvasRenderingContext2D,
  frame: Frame,
  axis: Axis,
  values: number[],
  label: (value: number) => string = (value) => withMinus(String(value)),
): void {
  context.font = AXIS_FONT;
  context.textAlign = "center";
  for (const value of values) {
    const x = xAt(frame, axis, value);
    context.fillStyle = colour("grid");
    context.fillRect(x - 0.5, frame.top, 1, frame.height);
    context.fillStyle = colour("mute");
    context.fillText(label(value), x, frame.top + frame.height + 13);
  }
}

/** What a picture shows, in its upper left. */
export function drawTitle(context: CanvasRenderingContext2D, frame: Frame, text: string): void {
  context.fillStyle = colour("ink");
  context.textAlign = "left";
  context.font = "650 12px 'Archivo Variable', sans-serif";
  context.fillText(text, frame.left + 8, frame.top + 14);
}

/** What the lines of a picture are, with a swatch each, above its upper right corner; none stands over the plot. */
export function drawLegend(
  context: CanvasRenderingContext2D,
  frame: Frame,
  lines: readonly { ink: string; text: string }[],
): void {
  context.font = "500 11px 'Archivo Variable', sans-serif";
  context.textAlign = "left";
  let x = frame.left + frame.width;
  const y = frame.top - 8;
  for (const { ink, text } of [...lines].reverse()) {
    x -= context.measureText(text).width;
    context.fillStyle = colour("mute");
    context.fillText(text, x, y + 3);
    x -= 18;
    context.fillStyle = colour(ink);
    context.fillRect(x, y - 2, 13, 2.5);
    x -= 14;
  }
}

/** What the axes of a picture are, above its upper left corner. */
export function drawAxes(context: CanvasRenderingContext2D, frame: Frame, text: string): void {
  context.fillStyle = colour("mute");
  context.font = "500 11px 'Archivo Variable', sans-serif";
  context.textAlign = "left";
  context.fillText(text, frame.left, frame.top - 5);
}

/** A line through points, broken where a value is missing and held inside the frame. */
export function drawLine(
  context: CanvasRenderingContext2D,
  frame: Frame,
  xs: number[],
  ys: number[],
  style: { ink: string; width: number; dash?: number[] },
): void {
  context.save();
  context.beginPath();
  context.rect(frame.left, frame.top - 1, frame.width, frame.height + 2);
  context.clip();
  context.beginPath();
  let open = false;
  xs.forEach((x, i) => {
    const y = ys[i] ?? NaN;
    if (Number.isNaN(y)) open = false;
    else if (open) context.lineTo(x, y);
    else {
      context.moveTo(x, y);
      open = true;
    }
  });
  context.strokeStyle = colour(style.ink);
  context.lineWidth = style.width;
  context.lineJoin = "round";
  context.setLineDash(style.dash ?? []);
  context.stroke();
  context.restore();
}

/** The room between two lines, faintly. */
export function drawBand(
  context: CanvasRenderingContext2D,
  frame: Frame,
  xs: number[],
  low: number[],
  high: number[],
): void {
  context.save();
  context.beginPath();
  context.rect(frame.left, frame.top - 1, frame.width, frame.height + 2);
  context.clip();
  context.beginPath();
  high.forEach((y, i) => context.lineTo(xs[i]!, y));
  for (let i = low.length - 1; i >= 0; i--) context.lineTo(xs[i]!, low[i]!);
  context.fillStyle = colour("trough");
  context.fill();
  context.restore();
}

export const HZ_TICKS = [10, 20, 50, 100, 200, 500, 1000, 2000, 5000, 10000, 20000];

export function hzLabel(hz: number): string {
  return hz >= 1000 ? `${hz / 1000}k` : String(hz);
}

const LEAST_PX = 4;

/** The two frequencies of a drag in rising order, or null where it was a click. */
export function draggedRange(from: number, to: number, frame: Frame, axis: Axis): [number, number] | null {
  if (Math.abs(to - from) < LEAST_PX) return null;
  const hz = [from, to]
    .map((x) => back(axis, Math.max(0, Math.min(1, (x - frame.left) / frame.width))))
    .sort((a, b) => a - b) as [number, number];
  return [Math.max(8, Math.round(hz[0])), Math.min(24000, Math.max(16, Math.round(hz[1])))];
}
