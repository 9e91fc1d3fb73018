/** Drawing the song map: the still parts once, the playhead and the loop at every frame. */
import type { Recipe } from "../api/types";
import type { Span } from "../state/store";
import { colour } from "../ui/useCanvas";
import { BAND_HEIGHT, FLAG_TOP, layoutOf, ROW_HEIGHT, ROW_STEP, xOf } from "./geometry";
import type { Layout } from "./geometry";

/** Lowest and highest samples in columns, of a stretch of the song that may be another than what is shown. */
export interface Wave {
  columns: [number[], number[]];
  span: Span;
}

/** A strip below the waveforms. */
export interface Row {
  title: string;
  kind: "effort" | "loudness" | "peaks" | "correlation" | "wave";
  values: (number | null)[] | undefined;
  /** the stretch of the song that the values are of */
  span: Span;
}

export interface MapPicture {
  view: Span;
  rateHz: number;
  sections: Recipe["sections"];
  received: Wave | undefined;
  mastered: Wave | undefined;
  /** How far the survey is, 0–1, while it runs. */
  progress: number | null;
  rows: Row[];
  flags: (number | null)[];
}

const DEEPEST_DB = 6;
const QUIETEST_LUFS = -45;

/** Where columns of a stretch lie in the view, those that are in it. */
export function columnsIn(
  count: number,
  span: Span,
  view: Span,
  width: number,
): { first: number; last: number; left: number; step: number } {
  const left = xOf(span[0], width, view);
  const step = (xOf(span[1], width, view) - left) / count;
  return {
    first: Math.max(0, Math.floor(-left / step)),
    last: Math.min(count, Math.ceil((width - left) / step)),
    left,
    step,
  };
}

function drawWave(
  context: CanvasRenderingContext2D,
  { columns: [lowest, highest], span }: Wave,
  view: Span,
  width: number,
  { waterline, wave }: Layout,
  direction: -1 | 1,
): void {
  const { first, last, left, step } = columnsIn(lowest.length, span, view, width);
  for (let i = first; i < last; i++) {
    const tall = Math.min(1, Math.max(Math.abs(lowest[i] ?? 0), Math.abs(highest[i] ?? 0))) * wave;
    context.fillRect(
      left + i * step,
      direction < 0 ? waterline - tall : waterline + 1,
      Math.ceil(step),
      tall,
    );
  }
}

function drawSections(context: CanvasRenderingContext2D, width: number, picture: MapPicture): void {
  const { view, rateHz } = picture;
  picture.sections.forEach((section, index) => {
    const left = Math.max(0, xOf(section.start_s * rateHz, width, view));
    const right = Math.min(width, xOf(section.end_s * rateHz, width, view));
    if (right <= 0 || left >= width) return;
    context.fillStyle = colour(index % 2 ? "section2" : "section");
    context.fillRect(left, 0, right - left - 1, BAND_HEIGHT);
    context.save();
    context.beginPath();
    context.rect(left, 0, right - left - 4, BAND_HEIGHT);
    context.clip();
    context.fillStyle = colour("ink");
    context.font = "600 11px 'Archivo Variable', sans-serif";
    context.textAlign = "left";
    context.fillText(section.name, left + 6, 13.5);
    context.restore();
  });
}

function drawRow(context: CanvasRenderingContext2D, row: Row, view: Span, top: number, width: number): void {
  context.globalAlpha = 1;
  context.fillStyle = colour("strip");
  context.fillRect(0, top, width, ROW_HEIGHT);
  if (!row.values) return;
  const { first, last, left, step } = columnsIn(row.values.length, row.span, view, width);
  row.values.slice(first, last).forEach((value, i) => {
    if (value === null) return;
    const x = left + (first + i) * step;
    const wide = Math.ceil(step);
    if (row.kind === "effort") {
      // the square root lets half a dB be seen beside five
      context.globalAlpha = Math.min(1, Math.sqrt(Math.abs(value) / DEEPEST_DB));
      context.fillStyle = colour("copper");
      if (value < -0.02) context.fillRect(x, top, wide, ROW_HEIGHT);
    } else if (row.kind === "loudness") {
      const tall = ROW_HEIGHT * Math.max(0, Math.min(1, 1 - value / QUIETEST_LUFS));
      context.fillStyle = colour("steel");
      context.fillRect(x, top + ROW_HEIGHT - tall, wide, tall);
    } else if (row.kind === "peaks") {
      context.fillStyle = colour(value > 1 ? "copper" : "green");
      const tall = value > 1 ? ROW_HEIGHT : ROW_HEIGHT * 0.5 * Math.min(1, value);
      context.fillRect(x, top + ROW_HEIGHT - tall, wide, tall);
    } else if (row.kind === "wave") {
      const tall = ROW_HEIGHT * Math.min(1, value);
      context.fillStyle = colour("tin");
      context.fillRect(x, top + (ROW_HEIGHT - tall) / 2, wide, tall);
    } else {
      context.fillStyle = colour(value < 0 ? "copper" : "green");
      const middle = top + ROW_HEIGHT / 2;
      const tall = (value * ROW_HEIGHT) / 2;
      context.fillRect(x, Math.min(middle, middle - tall), wide, Math.max(1, Math.abs(tall)));
    }
  });
  context.globalAlpha = 1;
}

export function drawMap(context: CanvasRenderingContext2D, width: number, picture: MapPicture): void {
  const layout = layoutOf(picture.rows.length);
  const { waterline, rowsTop } = layout;
  drawSections(context, width, picture);
  if (picture.received) {
    context.fillStyle = colour("tin");
    drawWave(context, picture.received, picture.view, width, layout, -1);
  }
  if (picture.mastered) {
    context.fillStyle = colour("rim");
    drawWave(context, picture.mastered, picture.view, width, layout, 1);
  } else {
    context.fillStyle = colour("trough");
    context.fillRect(0, waterline + 1, width, 3);
    context.fillStyle = colour("rim");
    context.fillRect(0, waterline + 1, width * (picture.progress ?? 0), 3);
  }
  context.fillStyle = colour("well");
  context.fillRect(0, waterline, width, 1);
  picture.rows.forEach((row, index) =>
    drawRow(context, row, picture.view, rowsTop + index * ROW_STEP, width),
  );
  context.fillStyle = colour("copper");
  for (const at_s of picture.flags) {
    if (at_s === null) continue;
    const x = xOf(at_s * picture.rateHz, width, picture.view);
    context.fillRect(x, FLAG_TOP, 1.2, waterline - FLAG_TOP);
    context.beginPath();
    context.moveTo(x, FLAG_TOP);
    context.lineTo(x + 9, FLAG_TOP + 4.5);
    context.lineTo(x, FLAG_TOP + 9);
    context.fill();
  }
}

/** At sample zoom: the very curves, what comes in above and what goes out below. */
export function drawScope(
  context: CanvasRenderingContext2D,
  width: number,
  rows: number,
  before: number[],
  after: number[],
): void {
  const { waterline, wave, rowsTop } = layoutOf(rows);
  context.fillStyle = colour("enamel");
  context.fillRect(0, BAND_HEIGHT + 1, width, rowsTop - BAND_HEIGHT - 4);
  for (const [samples, middle, ink] of [
    [before, waterline - wave / 2 - 1, "tin"],
    [after, waterline + wave / 2 + 1, "rim"],
  ] as const) {
    context.fillStyle = colour("faint");
    context.fillRect(0, middle, width, 1);
    context.strokeStyle = colour(ink);
    context.lineWidth = 1.4;
    context.beginPath();
    samples.forEach((sample, i) => {
      const x = (i / Math.max(1, samples.length - 1)) * width;
      context.lineTo(x, middle - (Math.max(-1, Math.min(1, sample)) * wave) / 2);
    });
    context.stroke();
    if (samples.length < width / 5) {
      context.fillStyle = colour(ink);
      samples.forEach((sample, i) =>
        context.fillRect((i / (samples.length - 1)) * width - 1.5, middle - (sample * wave) / 2 - 1.5, 3, 3),
      );
    }
  }
}

export function drawOverlay(
  context: CanvasRenderingContext2D,
  width: number,
  height: number,
  view: Span,
  loop: Span | null,
  hover: number | null,
): void {
  if (loop) {
    const [left, right] = loop.map((frame) => xOf(frame, width, view)) as Span;
    context.fillStyle = colour("rim");
    context.globalAlpha = 0.1;
    context.fillRect(left, BAND_HEIGHT + 1, right - left, height - BAND_HEIGHT);
    context.globalAlpha = 1;
    for (const x of [left, right]) context.fillRect(x - 0.6, BAND_HEIGHT + 1, 1.2, height - BAND_HEIGHT);
  }
  if (hover !== null) {
    context.fillStyle = colour("mute");
    context.globalAlpha = 0.5;
    context.fillRect(hover - 0.5, BAND_HEIGHT + 1, 1, height - BAND_HEIGHT);
    context.globalAlpha = 1;
  }
}
