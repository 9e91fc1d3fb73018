/** Drawing the song map: the still parts once, the playhead and the loop at every frame. */
import type { Recipe } from "../api/types";
import { colour } from "../ui/useCanvas";
import { BAND_HEIGHT, DOWN, STRIP_HEIGHT, STRIP_STEP, STRIPS_TOP, UP, WATERLINE, xOf } from "./geometry";

type Columns = [number[], number[]];

export interface MapPicture {
  frames: number;
  rateHz: number;
  sections: Recipe["sections"];
  received: Columns | undefined;
  mastered: Columns | undefined;
  /** How far the survey is, 0–1, while it runs. */
  progress: number | null;
  strips: { effort: number[] | undefined }[];
}

const DEEPEST_DB = 6;

function loudest(columns: Columns, at: number): number {
  return Math.max(Math.abs(columns[0][at] ?? 0), Math.abs(columns[1][at] ?? 0));
}

function drawWave(
  context: CanvasRenderingContext2D,
  columns: Columns,
  width: number,
  height: number,
  direction: -1 | 1,
): void {
  const count = columns[0].length;
  const step = width / count;
  for (let i = 0; i < count; i++) {
    const tall = loudest(columns, i) * height;
    context.fillRect(i * step, direction < 0 ? WATERLINE - tall : WATERLINE + 1, Math.ceil(step), tall);
  }
}

export function drawMap(context: CanvasRenderingContext2D, width: number, picture: MapPicture): void {
  const { frames, rateHz } = picture;
  picture.sections.forEach((section, index) => {
    const left = xOf(section.start_s * rateHz, width, frames);
    const right = Math.min(width, xOf(section.end_s * rateHz, width, frames));
    context.fillStyle = index % 2 ? "#e4e0d4" : "#edeae1";
    context.fillRect(left, 0, right - left - 1, BAND_HEIGHT);
    context.save();
    context.beginPath();
    context.rect(left, 0, right - left - 4, BAND_HEIGHT);
    context.clip();
    context.fillStyle = colour("ink");
    context.font = "600 11px 'Archivo Variable', sans-serif";
    context.fillText(section.name, left + 6, 13.5);
    context.restore();
  });
  if (picture.received) {
    context.fillStyle = colour("tin");
    drawWave(context, picture.received, width, UP, -1);
  }
  if (picture.mastered) {
    context.fillStyle = colour("rim");
    drawWave(context, picture.mastered, width, DOWN, 1);
  } else {
    context.fillStyle = colour("trough");
    context.fillRect(0, WATERLINE + 1, width, 3);
    context.fillStyle = colour("rim");
    context.fillRect(0, WATERLINE + 1, width * (picture.progress ?? 0), 3);
  }
  context.fillStyle = colour("well");
  context.fillRect(0, WATERLINE, width, 1);
  picture.strips.forEach(({ effort }, row) => {
    const top = STRIPS_TOP + row * STRIP_STEP;
    context.globalAlpha = 1;
    context.fillStyle = "#ece8de";
    context.fillRect(0, top, width, STRIP_HEIGHT);
    if (!effort) return;
    context.fillStyle = colour("copper");
    const step = width / effort.length;
    effort.forEach((db, i) => {
      // the square root lets half a dB be seen beside five
      context.globalAlpha = Math.min(1, Math.sqrt(Math.abs(db) / DEEPEST_DB));
      if (db < -0.02) context.fillRect(i * step, top, Math.ceil(step), STRIP_HEIGHT);
    });
    context.globalAlpha = 1;
  });
}

export function drawOverlay(
  context: CanvasRenderingContext2D,
  width: number,
  height: number,
  frames: number,
  playhead: number,
  loop: [number, number] | null,
): void {
  if (loop) {
    const [left, right] = loop.map((frame) => xOf(frame, width, frames)) as [number, number];
    context.fillStyle = colour("rim");
    context.globalAlpha = 0.1;
    context.fillRect(left, BAND_HEIGHT + 1, right - left, height - BAND_HEIGHT);
    context.globalAlpha = 1;
    for (const x of [left, right]) context.fillRect(x - 0.6, BAND_HEIGHT + 1, 1.2, height - BAND_HEIGHT);
  }
  const x = xOf(playhead, width, frames);
  context.fillStyle = colour("ink");
  context.fillRect(x - 0.8, BAND_HEIGHT - 3, 1.6, height - BAND_HEIGHT + 3);
  context.beginPath();
  context.moveTo(x - 5, BAND_HEIGHT - 7);
  context.lineTo(x + 5, BAND_HEIGHT - 7);
  context.lineTo(x + 5, BAND_HEIGHT - 2);
  context.lineTo(x, BAND_HEIGHT + 3);
  context.lineTo(x - 5, BAND_HEIGHT - 2);
  context.fill();
}
