/** Where the points and the course of a lane lie, and what a place on it means. */
import type { Grid, Param, Point } from "../api/types";
import type { Span } from "../state/store";
import type { Sections, Timed } from "../tree/valueCurve";
import { travelled } from "../tree/valueCurve";
import { fromShare, rounded, toShare } from "../ui/scale";

export const LANE_PX = 30;
const INSET_PX = 5;
const POINT_PX = 6;
const SNAP_PX = 6;
/** Beats nearer than this cannot be aimed at. */
const BEAT_PX = 8;
const SMOOTH_STEPS = 24;
const LEAST_ROOM = 0.04;

type Value = Point["value"];

export interface LaneGeometry {
  view: Span;
  rateHz: number;
  width: number;
  height: number;
  /** which shares of the value's scale lie at the bottom and at the top */
  range: [number, number];
}

/** The part of its scale that a ride keeps to, with room above and below: small rides are seen as well. */
export function rangeOf(param: Param, points: Point[]): [number, number] {
  if (points.length === 0) return [0, 1];
  const shares = points.map(({ value }) => shareOf(param, value));
  const [low, high] = [Math.min(...shares), Math.max(...shares)];
  const room = Math.max(0.25 * (high - low), LEAST_ROOM);
  return [Math.max(0, low - room), Math.min(1, high + room)];
}

function scaledOf({ low, high, scale }: Param) {
  return { low: low ?? 0, high: high ?? 1, scale };
}

/** How high a value lies, 0 to 1. */
export function shareOf(param: Param, value: Value): number {
  if (typeof value === "number") return toShare(scaledOf(param), value);
  if (typeof value === "boolean") return Number(value);
  return Math.max(0, param.choices.indexOf(value)) / Math.max(1, param.choices.length - 1);
}

export function valueOf(param: Param, share: number): Value {
  if (param.type === "boolean") return share >= 0.5;
  if (param.type !== "choice") return rounded(scaledOf(param), fromShare(scaledOf(param), share));
  const at = Math.round(Math.max(0, Math.min(1, share)) * (param.choices.length - 1));
  return param.choices[at]!;
}

export function xOfSeconds({ view: [from, to], rateHz, width }: LaneGeometry, seconds: number): number {
  return ((seconds * rateHz - from) / (to - from)) * width;
}

export function secondsAt({ view: [from, to], rateHz, width }: LaneGeometry, x: number): number {
  return (from + (x / width) * (to - from)) / rateHz;
}

export function yOf({ height, range: [low, high] }: LaneGeometry, share: number): number {
  return height - INSET_PX - ((share - low) / (high - low)) * (height - 2 * INSET_PX);
}

export function shareAt({ height, range: [low, high] }: LaneGeometry, y: number): number {
  return low + ((height - INSET_PX - y) / (height - 2 * INSET_PX)) * (high - low);
}

/** The course as a line through the lane, from its left to its right. */
export function lineOf(lane: LaneGeometry, course: Timed[], param: Param): [x: number, y: number][] {
  const spot = ({ seconds, point }: Timed): [number, number] => [
    xOfSeconds(lane, seconds),
    yOf(lane, shareOf(param, point.value)),
  ];
  const found: [number, number][] = [];
  const first = course[0];
  if (!first) return found;
  found.push([0, spot(first)[1]]);
  course.forEach((here, i) => {
    const [x, y] = spot(here);
    const next = course[i + 1];
    found.push([x, y]);
    if (!next) {
      found.push([Math.max(x, lane.width), y]);
      return;
    }
    const [right, end] = spot(next);
    const steps = here.point.ramp === "smooth" ? SMOOTH_STEPS : 1;
    if (here.point.ramp === "hold") found.push([right, y]);
    else
      for (let step = 1; step <= steps; step++) {
        const t = step / steps;
        found.push([x + t * (right - x), y + travelled(here.point.ramp, t) * (end - y)]);
      }
  });
  return found;
}

/** Index of the point under the pointer. */
export function pointAt(
  lane: LaneGeometry,
  course: Timed[],
  param: Param,
  x: number,
  y: number,
): number | null {
  let [best, nearest] = [null as number | null, POINT_PX + 1];
  for (const { seconds, index, point } of course) {
    const away = Math.max(
      Math.abs(xOfSeconds(lane, seconds) - x),
      Math.abs(yOf(lane, shareOf(param, point.value)) - y),
    );
    if (away < nearest) [best, nearest] = [index, away];
  }
  return best;
}

/** Indices of the points in a rectangle. */
export function pointsIn(
  lane: LaneGeometry,
  course: Timed[],
  param: Param,
  [x1, y1]: [number, number],
  [x2, y2]: [number, number],
): Set<number> {
  const within = (at: number, a: number, b: number) => at >= Math.min(a, b) && at <= Math.max(a, b);
  return new Set(
    course.flatMap(({ seconds, index, point }) =>
      within(xOfSeconds(lane, seconds), x1, x2) && within(yOf(lane, shareOf(param, point.value)), y1, y2)
        ? [index]
        : [],
    ),
  );
}

/** The edge of a section, or the beat, that lies near enough to a time; else the time itself. */
export function snapped(lane: LaneGeometry, seconds: number, sections: Sections, grid: Grid | null): number {
  const edges = sections.flatMap(({ start_s, end_s }) => [start_s, end_s]);
  const beat = grid ? 60 / grid.bpm : 0;
  const aims = [...edges];
  if (grid && xOfSeconds(lane, beat) - xOfSeconds(lane, 0) >= BEAT_PX)
    aims.push(grid.first_s + beat * Math.round((seconds - grid.first_s) / beat));
  const away = (aim: number) => Math.abs(xOfSeconds(lane, aim) - xOfSeconds(lane, seconds));
  const near = aims.filter((aim) => aim >= 0 && away(aim) <= SNAP_PX);
  // an edge goes before a beat that is as near
  return near.reduce((best, aim) => (away(aim) < away(best) - 0.01 ? aim : best), near[0] ?? seconds);
}

/** Bars and beats that are worth drawing: where each lies, and whether a bar begins there. */
export function beatsIn(lane: LaneGeometry, grid: Grid): { x: number; bar: boolean }[] {
  const beat = 60 / grid.bpm;
  const step = xOfSeconds(lane, beat) - xOfSeconds(lane, 0);
  const every = step >= BEAT_PX ? 1 : step * grid.bar >= BEAT_PX ? grid.bar : 0;
  if (every === 0) return [];
  const [from, to] = [secondsAt(lane, 0), secondsAt(lane, lane.width)];
  const first = Math.ceil((from - grid.first_s) / (beat * every)) * every;
  const found = [];
  for (let n = first; grid.first_s + n * beat <= to; n += every)
    found.push({ x: xOfSeconds(lane, grid.first_s + n * beat), bar: n % grid.bar === 0 });
  return found;
}
