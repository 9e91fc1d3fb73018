/** Where the parts of the song map lie, and what a place on it means. */

export const BAND_TOP = 0;
export const BAND_HEIGHT = 19;
export const WATERLINE = 66;
export const UP = 44;
export const DOWN = 44;
export const STRIPS_TOP = 118;
export const STRIP_STEP = 14;
export const STRIP_HEIGHT = 11;
const EDGE_PX = 5;
const CLICK_PX = 4;

export interface Zone {
  kind: "section" | "wave" | "strip";
  strip?: number;
}

export function zoneAt(y: number, strips: number): Zone {
  if (y < BAND_TOP + BAND_HEIGHT) return { kind: "section" };
  const strip = Math.floor((y - STRIPS_TOP) / STRIP_STEP);
  return y >= STRIPS_TOP && strip < strips ? { kind: "strip", strip } : { kind: "wave" };
}

export function frameAt(x: number, width: number, frames: number): number {
  return Math.round((Math.max(0, Math.min(x, width)) / width) * frames);
}

export function xOf(frame: number, width: number, frames: number): number {
  return (frame / frames) * width;
}

/** Which edge of the loop lies under the pointer. */
export function loopEdgeAt(
  x: number,
  loop: [number, number] | null,
  width: number,
  frames: number,
): 0 | 1 | null {
  if (!loop) return null;
  const [start, end] = loop.map((frame) => Math.abs(xOf(frame, width, frames) - x)) as [number, number];
  if (Math.min(start, end) > EDGE_PX) return null;
  return start <= end ? 0 : 1;
}

/** What a drag between two places makes: a loop, or nothing where it was a click. */
export function dragged(from: number, to: number, width: number, frames: number): [number, number] | null {
  if (Math.abs(to - from) < CLICK_PX) return null;
  const [a, b] = [frameAt(from, width, frames), frameAt(to, width, frames)];
  return a < b ? [a, b] : [b, a];
}

/** The loop with one edge moved; never turned inside out, never shorter than 20 ms. */
export function withEdge(
  loop: [number, number],
  edge: 0 | 1,
  frame: number,
  frames: number,
  rateHz: number,
): [number, number] {
  const least = Math.round(0.02 * rateHz);
  return edge === 0
    ? [Math.max(0, Math.min(frame, loop[1] - least)), loop[1]]
    : [loop[0], Math.min(frames, Math.max(frame, loop[0] + least))];
}
