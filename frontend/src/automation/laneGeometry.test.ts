import { expect, test } from "vitest";
import type { Param, Point } from "../api/types";
import { timed } from "../tree/valueCurve";
import type { LaneGeometry } from "./laneGeometry";
import {
  beatsIn,
  lineOf,
  pointAt,
  pointsIn,
  rangeOf,
  shareAt,
  shareOf,
  snapped,
  valueOf,
  yOf,
} from "./laneGeometry";

const mix = { type: "number", low: 0, high: 1, scale: "linear", choices: [] } as unknown as Param;
const lane: LaneGeometry = { view: [0, 20000], rateHz: 1000, width: 1000, height: 30, range: [0, 1] };
const points: Point[] = [
  { at: 2, value: 0, ramp: "smooth" },
  { at: 6, value: 1, ramp: "hold" },
  { at: 10, value: 0.5, ramp: "hold" },
];
const course = timed(points, []);
const grid = { bpm: 120, first_s: 0.25, bar: 4, confidence: 1 };

test("the line holds before the first point and after the last, steps and travels between", () => {
  const line = lineOf(lane, course, mix);
  const y = (share: number) => yOf(lane, share);
  expect(line[0]).toEqual([0, y(0)]);
  expect(line.at(-1)).toEqual([1000, y(0.5)]);
  const middle = line.find(([x]) => x === 200)!;
  expect(middle[1]).toBeCloseTo(y(0.5));
  expect(line.filter(([x]) => x === 500).map(([, at]) => at)).toEqual([y(1), y(0.5)]);
});

test("points are found under the pointer and in a box", () => {
  expect(pointAt(lane, course, mix, 302, yOf(lane, 1) + 3)).toBe(1);
  expect(pointAt(lane, course, mix, 330, yOf(lane, 1))).toBeNull();
  expect([...pointsIn(lane, course, mix, [520, 0], [90, 30])]).toEqual([0, 1, 2]);
});

test("a lane keeps to where its ride is, and what is drawn is where it is grabbed", () => {
  const [low, high] = rangeOf(mix, [
    { at: 0, value: 0.09, ramp: "hold" },
    { at: 1, value: 0.25, ramp: "hold" },
  ]);
  expect(low).toBeCloseTo(0.05);
  expect(high).toBeCloseTo(0.29);
  const near = { ...lane, range: [low, high] as [number, number] };
  expect(shareAt(near, yOf(near, 0.2))).toBeCloseTo(0.2);
});

test("switches and choices have places of their own", () => {
  const choice = { ...mix, type: "choice", choices: ["soft", "firm", "hard"] } as unknown as Param;
  expect(["soft", "firm", "hard"].map((value) => shareOf(choice, value))).toEqual([0, 0.5, 1]);
  expect([0.1, 0.4, 0.9].map((share) => valueOf(choice, share))).toEqual(["soft", "firm", "hard"]);
  expect(valueOf({ ...mix, type: "boolean" }, 0.6)).toBe(true);
});

test("points snap to borders and, where beats can be aimed at, to those", () => {
  const sections = [{ id: "v", name: "", start_s: 5, end_s: 8 }];
  expect(snapped(lane, 5.1, sections, null)).toBe(5);
  expect(snapped(lane, 6.3, sections, grid)).toBe(6.25);
  expect(snapped(lane, 6.3, sections, null)).toBe(6.3);
  expect(snapped({ ...lane, view: [0, 2000000] }, 606.3, sections, grid)).toBe(606.3);
});

test("beats are drawn where they can be told apart, bars where only those can", () => {
  expect(
    beatsIn(lane, grid)
      .slice(0, 5)
      .map(({ x, bar }) => [x, bar]),
  ).toEqual([
    [12.5, true],
    [37.5, false],
    [62.5, false],
    [87.5, false],
    [112.5, true],
  ]);
  expect(beatsIn({ ...lane, view: [0, 80000] }, grid).every(({ bar }) => bar)).toBe(true);
  expect(beatsIn({ ...lane, view: [0, 8000000] }, grid)).toEqual([]);
});
