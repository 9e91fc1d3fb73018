/** A ridden value over the song: its points in time, and what it is in between, on the parameter's own scale. */
import type { Point, Recipe, ParameterAutomation } from "../api/types";

export type Sections = Recipe["sections"];
type RideValue = Point["value"];

export interface Timed {
  seconds: number;
  /** place among the ride's points */
  index: number;
  point: Point;
}

export function secondsOf(at: Point["at"], sections: Sections): number {
  if (typeof at === "number") return at;
  const section = sections.find(({ id }) => id === at.section);
  if (!section) return at.offset_s;
  return (at.edge === "start" ? section.start_s : section.end_s) + at.offset_s;
}

/** The points in the order of time; of those at the same time the last one counts. */
export function timed(points: Point[], sections: Sections): Timed[] {
  return points
    .map((point, index) => ({ seconds: secondsOf(point.at, sections), index, point }))
    .sort((a, b) => a.seconds - b.seconds || a.index - b.index);
}

/** How far a value has come from a point to the next, 0 to 1. */
export function travelled(ramp: Point["ramp"], t: number): number {
  if (ramp === "hold") return 0;
  return ramp === "line" ? t : t * t * (3 - 2 * t);
}

/** The value at a time; `log` where the parameter's own scale is logarithmic. */
export function valueAt(course: Timed[], seconds: number, log: boolean): RideValue {
  let at = course.length - 1;
  while (at > 0 && course[at]!.seconds > seconds) at--;
  const here = course[at]!;
  const next = course[at + 1];
  const [low, high] = [here.point.value, next?.point.value];
  if (!next || seconds <= here.seconds || typeof low !== "number" || typeof high !== "number") return low;
  const t = travelled(here.point.ramp, (seconds - here.seconds) / (next.seconds - here.seconds));
  return log ? low * (high / low) ** t : low + t * (high - low);
}

export function rideOf(recipe: Recipe, target: string, param: string): ParameterAutomation | undefined {
  return recipe.automation.find(
    (ride) => ride.target === target && ride.param.replace(/^params\./, "") === param,
  );
}

/** The recipe with a ride in place of that of the same value; without it where it has no points. */
export function withRide(recipe: Recipe, changed: ParameterAutomation): Recipe {
  // a document has its points in the order of time
  const ride = { ...changed, points: timed(changed.points, recipe.sections).map(({ point }) => point) };
  const old = rideOf(recipe, ride.target, ride.param);
  const left = recipe.automation.filter((one) => one !== old);
  if (ride.points.length === 0) return { ...recipe, automation: left };
  const at = old ? recipe.automation.indexOf(old) : left.length;
  return { ...recipe, automation: [...left.slice(0, at), ride, ...left.slice(at)] };
}
