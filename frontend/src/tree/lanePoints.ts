/** What is done to the points of a lane: moved, scaled, added, copied. Values move on the parameter's own scale. */
import type { Point } from "../api/types";
import type { Sections } from "./valueCurve";
import { secondsOf, timed } from "./valueCurve";

interface Scale {
  low: number;
  high: number;
  scale: "linear" | "log";
}

const round = (seconds: number) => Math.round(seconds * 1e4) / 1e4;
const own = ({ scale }: Scale, value: number) => (scale === "log" ? Math.log(value) : value);
const back = ({ low, high, scale }: Scale, at: number) =>
  Math.max(low, Math.min(high, scale === "log" ? Math.exp(at) : at));

/** A time, as it is said in the recipe: what hangs on a section stays there, what meets an edge hangs on that. */
function timeAt(at: Point["at"], seconds: number, sections: Sections, snaps: boolean): Point["at"] {
  if (snaps)
    for (const section of sections)
      for (const edge of ["start", "end"] as const) {
        const border = edge === "start" ? section.start_s : section.end_s;
        if (Math.abs(border - seconds) < 1e-4) return { section: section.id, edge, offset_s: 0 };
      }
  if (typeof at === "number") return round(Math.max(0, seconds));
  const zero = secondsOf({ ...at, offset_s: 0 }, sections);
  return { ...at, offset_s: round(seconds - zero) };
}

interface Move {
  /** seconds later, and how much higher on the own scale, as a share of the whole of it */
  seconds: number;
  share: number;
}

/** Move points in time and in value; a point never passes its neighbours that stay. */
export function movePoints(
  points: Point[],
  chosen: ReadonlySet<number>,
  { seconds, share }: Move,
  scale: Scale | null,
  sections: Sections,
  end: number,
): Point[] {
  const course = timed(points, sections);
  let [least, most] = [-Infinity, Infinity];
  course.forEach(({ seconds: at, index }, i) => {
    if (!chosen.has(index)) return;
    const [before, after] = [course[i - 1], course[i + 1]];
    least = Math.max(
      least,
      (before && !chosen.has(before.index) ? before.seconds : before ? -Infinity : 0) - at,
    );
    most = Math.min(most, (after && !chosen.has(after.index) ? after.seconds : after ? Infinity : end) - at);
  });
  const by = Math.max(least, Math.min(most, seconds));
  const height = scale ? share * (own(scale, scale.high) - own(scale, scale.low)) : 0;
  return points.map((point, index) => {
    if (!chosen.has(index)) return point;
    const value =
      scale && typeof point.value === "number" ? back(scale, own(scale, point.value) + height) : point.value;
    const at = by === 0 ? point.at : timeAt(point.at, secondsOf(point.at, sections) + by, sections, true);
    return { ...point, at, value };
  });
}

/** Draw values together or apart, about their mean. */
export function scalePoints(
  points: Point[],
  chosen: ReadonlySet<number>,
  factor: number,
  scale: Scale,
): Point[] {
  const heights = points.flatMap(({ value }, i) =>
    chosen.has(i) && typeof value === "number" ? [own(scale, value)] : [],
  );
  const mean = heights.reduce((sum, height) => sum + height, 0) / Math.max(1, heights.length);
  return points.map((point, i) =>
    chosen.has(i) && typeof point.value === "number"
      ? { ...point, value: back(scale, mean + factor * (own(scale, point.value) - mean)) }
      : point,
  );
}

/** One more point, in its place; it goes on as the one before does. */
export function addPoint(
  points: Point[],
  seconds: number,
  value: Point["value"],
  sections: Sections,
): { points: Point[]; index: number } {
  const course = timed(points, sections);
  const before = course.findLast((one) => one.seconds <= seconds);
  const index = before ? before.index + 1 : 0;
  const ramp = typeof value === "number" ? (before?.point.ramp ?? "hold") : "hold";
  const made: Point = { at: timeAt(0, seconds, sections, true), value, ramp };
  return { points: [...points.slice(0, index), made, ...points.slice(index)], index };
}

export function removePoints(points: Point[], chosen: ReadonlySet<number>): Point[] {
  return points.filter((_, i) => !chosen.has(i));
}

/** Points as they lie to where a section begins: the one that the first of them is in, or the first point itself. */
export interface CopiedPoints {
  points: { after_s: number; value: Point["value"]; ramp: Point["ramp"] }[];
}

export function copyPoints(points: Point[], chosen: ReadonlySet<number>, sections: Sections): CopiedPoints {
  const course = timed(points, sections).filter(({ index }) => chosen.has(index));
  const first = course[0]?.seconds ?? 0;
  const zero = sections.find((s) => s.start_s <= first && first < s.end_s)?.start_s ?? first;
  return {
    points: course.map(({ seconds, point: { value, ramp } }) => ({ after_s: seconds - zero, value, ramp })),
  };
}

/** Put copied points where a section begins; what lies there goes. */
export function pastePoints(
  points: Point[],
  copied: CopiedPoints,
  sectionId: string,
  sections: Sections,
): Point[] {
  const section = sections.find(({ id }) => id === sectionId);
  const last = copied.points.at(-1);
  if (!section || !last) return points;
  const [from, to] = [section.start_s, Math.min(section.end_s, section.start_s + last.after_s)];
  const kept = points.filter(({ at }) => {
    const seconds = secondsOf(at, sections);
    return seconds < from - 1e-4 || seconds > to + 1e-4;
  });
  const put = copied.points
    .filter(({ after_s }) => section.start_s + after_s <= section.end_s)
    .map(({ after_s, value, ramp }): Point => {
      return { at: { section: section.id, edge: "start", offset_s: round(after_s) }, value, ramp };
    });
  return timed([...kept, ...put], sections).map(({ point }) => point);
}
