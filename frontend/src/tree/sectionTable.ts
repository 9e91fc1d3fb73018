/** A ride as a table: what a value is in each section, and how it gets there. Its points hang on the sections. */
import type { Point, ParameterAutomation } from "../api/types";
import type { Sections } from "./valueCurve";
import { secondsOf, timed, valueAt } from "./valueCurve";

type Value = Point["value"];
type Section = Sections[number];

/** At the border, or travelled there: over seconds from the border on, or before it, or over the whole section. */
export interface Way {
  ramp: Point["ramp"];
  seconds: number | "section";
  before: boolean;
}

export const AT_BORDER: Way = { ramp: "hold", seconds: 0, before: false };

export interface SectionRow {
  section: Section;
  /** what it comes to in the section; null where the section leaves it as it is */
  value: Value | null;
  /** where it comes from */
  from: Value;
  way: Way;
  /** whether points of other times lie in the section as well */
  byHand: boolean;
}

/** As near as two times are the same. */
const SAME_S = 1e-3;

function hung(points: Point[], section: Section): Point[] {
  return points.filter(({ at }) => typeof at !== "number" && at.section === section.id);
}

/** How the points that hang on a section bring it to its value; null where they do otherwise. */
function wayOf(points: Point[]): { way: Way; value: Value } | null {
  const at = (point: Point) => point.at as Exclude<Point["at"], number>;
  const [first, second] = points;
  if (!first || points.length > 2) return null;
  if (!second)
    return at(first).edge === "start" && at(first).offset_s === 0 && first.ramp === "hold"
      ? { way: AT_BORDER, value: first.value }
      : null;
  if (first.ramp === "hold" || second.ramp !== "hold" || at(first).edge !== "start") return null;
  const [begins, ends] = [at(first).offset_s, at(second).offset_s];
  const way = (seconds: Way["seconds"], before: boolean) => ({
    way: { ramp: first.ramp, seconds, before },
    value: second.value,
  });
  if (at(second).edge === "end") return begins === 0 && ends === 0 ? way("section", false) : null;
  if (begins === 0 && ends > 0) return way(ends, false);
  return ends === 0 && begins < 0 ? way(-begins, true) : null;
}

/** The table of a ride, or of a value that rests. */
export function rowsOf(points: Point[], sections: Sections, resting: Value, log: boolean): SectionRow[] {
  const course = timed(points, sections);
  const at = (seconds: number) => {
    const value = course.length ? valueAt(course, seconds, log) : resting;
    // a moment before the end of a way is as good as its end
    return typeof value === "number" ? Number(value.toPrecision(5)) : value;
  };
  return sections.map((section) => {
    const found = wayOf(hung(points, section));
    const inside = points.some((point) => isInside(point, section, sections));
    const before = found && found.way.before ? Number(found.way.seconds) : 0;
    return {
      section,
      value: found?.value ?? (inside ? at(section.start_s + SAME_S) : null),
      from: at(section.start_s - before - SAME_S),
      way: found?.way ?? AT_BORDER,
      byHand: inside,
    };
  });
}

/** Whether a point that does not hang on a section lies in it. */
function isInside(point: Point, section: Section, sections: Sections): boolean {
  if (typeof point.at !== "number") return false;
  const seconds = secondsOf(point.at, sections);
  return seconds > 0 && seconds >= section.start_s - SAME_S && seconds < section.end_s - SAME_S;
}

function pointsFor(section: Section, value: Value, way: Way): Point[] {
  const at = (edge: "start" | "end", offset_s: number) => ({ section: section.id, edge, offset_s });
  if (way.ramp === "hold") return [{ at: at("start", 0), value, ramp: "hold" }];
  const length = way.seconds === "section" ? 0 : way.seconds;
  // what it comes from is found when all points are there
  const begins: Point = { at: at("start", way.before ? -length : 0), value, ramp: way.ramp };
  const ends = way.seconds === "section" ? at("end", 0) : at("start", way.before ? 0 : length);
  return [begins, { at: ends, value, ramp: "hold" }];
}

/** The ride with a section's value; null takes the section out of it. What lies in the section otherwise goes. */
export function withRow(
  ride: ParameterAutomation,
  sections: Sections,
  resting: Value,
  sectionId: string,
  row: { value: Value; way: Way } | null,
  log: boolean,
): ParameterAutomation {
  const section = sections.find(({ id }) => id === sectionId)!;
  const kept = ride.points.filter(
    (point) => !hung([point], section).length && !isInside(point, section, sections),
  );
  const points = [...kept, ...(row ? pointsFor(section, row.value, row.way) : [])];
  const starts: Point[] = points.some(({ at }) => at === 0) ? [] : [{ at: 0, value: resting, ramp: "hold" }];
  // a ride of nothing but where it begins moves nothing
  const any = points.some(({ at }) => at !== 0);
  return { ...ride, points: any ? joined([...starts, ...points], sections, log) : [] };
}

/** Ramps into sections begin at what was there before. */
function joined(points: Point[], sections: Sections, log: boolean): Point[] {
  const course = timed(points, sections);
  const fixed: Point[] = [];
  for (const { point, seconds } of course) {
    const mine =
      typeof point.at !== "number" &&
      point.ramp !== "hold" &&
      wayOf(
        hung(
          points,
          sections.find(({ id }) => id === (point.at as { section: string }).section)!,
        ),
      );
    const before = fixed.length ? valueAt(timed(fixed, sections), seconds, log) : point.value;
    fixed.push(mine ? { ...point, value: before } : point);
  }
  return fixed;
}

/** Sections that are called alike: `Chorus`, `Chorus 2`. */
export function alike(sections: Sections, section: Section): Section[] {
  const bare = (name: string) => name.replace(/\s*\d+$/, "").toLowerCase();
  const name = bare(section.name);
  return name ? sections.filter((one) => bare(one.name) === name) : [section];
}
