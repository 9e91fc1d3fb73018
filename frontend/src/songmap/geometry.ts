/** Where the parts of the song map lie, and what a place on it means. */
import type { Recipe } from "../api/types";
import type { Span } from "../state/store";

export const BAND_HEIGHT = 19;
export const ROW_STEP = 14;
export const ROW_HEIGHT = 11;
export const FLAG_TOP = 22;
const LEAST_HEIGHT = 196;
const WAVE_LEAST = 44;
const TOOLS_HEIGHT = 20;
const EDGE_PX = 5;
const CLICK_PX = 4;
const FLAG_PX = 9;

export interface Zone {
  kind: "section" | "wave" | "row";
  row?: number;
}

/** Where the waveforms and the rows below them lie: the fewer rows, the taller the waves. */
export interface Layout {
  waterline: number;
  /** height of either waveform */
  wave: number;
  rowsTop: number;
  height: number;
}

export function layoutOf(rows: number): Layout {
  const below = rows * ROW_STEP + TOOLS_HEIGHT;
  const wave = Math.max(WAVE_LEAST, Math.floor((LEAST_HEIGHT - BAND_HEIGHT - 11 - below) / 2));
  const waterline = BAND_HEIGHT + 3 + wave;
  const rowsTop = waterline + wave + 8;
  return { waterline, wave, rowsTop, height: rowsTop + below };
}

export function zoneAt(y: number, rows: number): Zone {
  if (y < BAND_HEIGHT) return { kind: "section" };
  const { rowsTop } = layoutOf(rows);
  const row = Math.floor((y - rowsTop) / ROW_STEP);
  return y >= rowsTop && row < rows ? { kind: "row", row } : { kind: "wave" };
}

export function frameAt(x: number, width: number, [from, to]: Span): number {
  return Math.round(from + (Math.max(0, Math.min(x, width)) / width) * (to - from));
}

export function xOf(frame: number, width: number, [from, to]: Span): number {
  return ((frame - from) / (to - from)) * width;
}

export function covers(span: Span, view: Span): boolean {
  return span[0] <= view[0] && span[1] >= view[1];
}

/** Which edge of the loop lies under the pointer. */
export function loopEdgeAt(x: number, loop: Span | null, width: number, view: Span): 0 | 1 | null {
  if (!loop) return null;
  const [start, end] = loop.map((frame) => Math.abs(xOf(frame, width, view) - x)) as Span;
  if (Math.min(start, end) > EDGE_PX) return null;
  return start <= end ? 0 : 1;
}

/** What a drag between two places makes: a loop, or nothing where it was a click. */
export function dragged(from: number, to: number, width: number, view: Span): Span | null {
  if (Math.abs(to - from) < CLICK_PX) return null;
  const [a, b] = [frameAt(from, width, view), frameAt(to, width, view)];
  return a < b ? [a, b] : [b, a];
}

/** The loop with one edge moved; never turned inside out, never shorter than 20 ms. */
export function withEdge(loop: Span, edge: 0 | 1, frame: number, frames: number, rateHz: number): Span {
  const least = Math.round(0.02 * rateHz);
  return edge === 0
    ? [Math.max(0, Math.min(frame, loop[1] - least)), loop[1]]
    : [loop[0], Math.min(frames, Math.max(frame, loop[0] + least))];
}

/** The view after zooming about a place: `factor` below 1 comes nearer. */
export function zoomed(view: Span, at: number, factor: number, frames: number): Span {
  const width = Math.max(64, Math.min(frames, (view[1] - view[0]) * factor));
  const share = (at - view[0]) / (view[1] - view[0]);
  const from = Math.max(0, Math.min(at - share * width, frames - width));
  return [Math.round(from), Math.round(from + width)];
}

/** The boundary between two sections under the pointer, as the index of the one that ends there. */
export function boundaryAt(
  x: number,
  sections: Recipe["sections"],
  width: number,
  view: Span,
  rateHz: number,
): number | null {
  const found = sections.findIndex(
    (section, index) =>
      index < sections.length - 1 && Math.abs(xOf(section.end_s * rateHz, width, view) - x) <= EDGE_PX,
  );
  return found < 0 ? null : found;
}

/** Sections with one boundary moved; both neighbours move with it, and neither gets shorter than half a second. */
export function withBoundary(sections: Recipe["sections"], index: number, at_s: number): Recipe["sections"] {
  const [left, right] = [sections[index]!, sections[index + 1]!];
  const at = Math.max(left.start_s + 0.5, Math.min(right.end_s - 0.5, at_s));
  const rounded = Math.round(at * 1000) / 1000;
  return sections.map((section, i) =>
    i === index
      ? { ...section, end_s: rounded }
      : i === index + 1
        ? { ...section, start_s: rounded }
        : section,
  );
}

/** The flag under the pointer. */
export function flagAt(
  x: number,
  y: number,
  spots: (number | null)[],
  width: number,
  view: Span,
  rateHz: number,
): number | null {
  if (y < FLAG_TOP || y > FLAG_TOP + FLAG_PX + 3) return null;
  const found = spots.findIndex((at_s) => {
    if (at_s === null) return false;
    const left = xOf(at_s * rateHz, width, view);
    return x >= left - 2 && x <= left + FLAG_PX + 2;
  });
  return found < 0 ? null : found;
}
