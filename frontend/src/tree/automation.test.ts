import { describe, expect, test } from "vitest";
import type { Point, Recipe, ParameterAutomation } from "../api/types";
import { alike, AT_BORDER, rowsOf, withRow } from "./sectionTable";
import type { Way } from "./sectionTable";
import { rideOf, timed, valueAt, withRide } from "./valueCurve";
import { addPoint, copyPoints, movePoints, pastePoints, scalePoints } from "./lanePoints";
import { touchedBetween } from "./changedValues";

const stage = (id: string, params: object, more: object = {}) => ({
  id,
  kind: "equalizer",
  on: true,
  channels: "stereo",
  mix: 1,
  params,
  ...more,
});
const bands = () => [
  { id: "low", hz: 100, gain_db: 0 },
  { id: "high", hz: 9000, gain_db: 2 },
];
const recipe = {
  buses: [
    { id: "mix", name: "Mix", group: null, chain: [stage("a", { bands: bands() })], gain_db: 0, pan: 0 },
  ],
  groups: [],
  master: [
    {
      ...stage("s", {}),
      kind: "split",
      params: {
        by: "bands",
        crossovers_hz: [120, 2000],
        branches: [{ id: "lows", name: "", gain_db: 0, chain: [stage("b", { bands: bands() })] }],
      },
    },
  ],
  sections: [],
  automation: [],
} as unknown as Recipe;

/** The recipe with a change somewhere in a copy of it; lists that are compared by identity stay. */
function changed(change: (copy: Recipe) => void): Recipe {
  const copy = structuredClone(recipe);
  change(copy);
  return { ...copy, sections: recipe.sections, automation: recipe.automation };
}
interface Loose {
  bands: { gain_db: number }[];
  crossovers_hz: number[];
  branches: { chain: { on: boolean }[] }[];
}
const loose = (params: unknown) => params as Loose;

describe("what a hand moved", () => {
  test("is found wherever it is, by id and path", () => {
    const after = changed((copy) => {
      copy.buses[0]!.gain_db = -3;
      loose(copy.buses[0]!.chain[0]!.params).bands[1]!.gain_db = 4;
      copy.master[0]!.mix = 0.5;
      loose(copy.master[0]!.params).crossovers_hz[1] = 2500;
      loose(copy.master[0]!.params).branches[0]!.chain[0]!.on = false;
    });
    expect(touchedBetween(recipe, after)?.map(({ target, param, value }) => [target, param, value])).toEqual([
      ["mix", "gain_db", -3],
      ["a", "bands.high.gain_db", 4],
      ["s", "mix", 0.5],
      ["s", "crossovers_hz.1", 2500],
      ["b", "on", false],
    ]);
  });

  test("is nothing where more than values differs", () => {
    const others = [
      (copy: Recipe) => void copy.buses[0]!.chain.pop(),
      (copy: Recipe) => void (copy.buses[0]!.name = "Other"),
      (copy: Recipe) => void loose(copy.buses[0]!.chain[0]!.params).bands.pop(),
      (copy: Recipe) => void (copy.master[0]!.id = "t"),
    ];
    for (const change of others) expect(touchedBetween(recipe, changed(change))).toBeNull();
    expect(touchedBetween(recipe, { ...recipe, sections: [] })).toBeNull();
  });
});

const sections = [
  { id: "v1", name: "Verse", start_s: 0, end_s: 10 },
  { id: "r", name: "Rise", start_s: 10, end_s: 20 },
  { id: "c1", name: "Chorus", start_s: 20, end_s: 30 },
  { id: "c2", name: "Chorus 2", start_s: 30, end_s: 40 },
];
const empty: ParameterAutomation = { target: "air", param: "mix", points: [] };
const at = (ride: ParameterAutomation, seconds: number, log = false) =>
  valueAt(timed(ride.points, sections), seconds, log);

describe("a value by section", () => {
  const smooth: Way = { ramp: "smooth", seconds: "section", before: false };
  const rising = withRow(empty, sections, 0.09, "r", { value: 0.25, way: smooth }, false);
  const both = withRow(
    rising,
    sections,
    0.09,
    "c2",
    { value: 0.12, way: { ramp: "line", seconds: 2, before: true } },
    false,
  );

  test("goes as the table says", () => {
    expect(
      [0, 10, 15, 20, 27.9, 28, 29, 30, 39].map((s) => Number((at(both, s) as number).toFixed(4))),
    ).toEqual([0.09, 0.09, 0.17, 0.25, 0.25, 0.25, 0.185, 0.12, 0.12]);
  });

  test("is read back as it was set, and sections in between follow", () => {
    const rows = rowsOf(both.points, sections, 0.09, false);
    expect(rows.map(({ value, from }) => [value, from])).toEqual([
      [null, 0.09],
      [0.25, 0.09],
      [null, 0.25],
      [0.12, 0.25],
    ]);
    expect(rows[1]!.way).toEqual(smooth);
    expect(rows[3]!.way).toEqual({ ramp: "line", seconds: 2, before: true });
  });

  test("begins where the section before it has come to, also when that changes later", () => {
    const lower = withRow(both, sections, 0.09, "c1", { value: 0.2, way: AT_BORDER }, false);
    expect(at(lower, 28)).toBeCloseTo(0.2);
    expect(rowsOf(lower.points, sections, 0.09, false)[3]!.from).toBeCloseTo(0.2);
  });

  test("moves with its section, and goes with the last of its rows", () => {
    const moved = sections.map((s) => (s.id === "c2" ? { ...s, start_s: 33 } : s));
    expect(valueAt(timed(both.points, moved), 30.9, false)).toBe(0.25);
    const one = withRow(both, sections, 0.09, "r", null, false);
    expect(withRow(one, sections, 0.09, "c2", null, false).points).toEqual([]);
  });

  test("takes the place of what was ridden there by hand", () => {
    const points: Point[] = [0, 21, 22, 35].map((s, i) => ({ at: s, value: i / 10, ramp: "line" }));
    const rows = rowsOf(points, sections, 0, false);
    expect(rows.map(({ byHand }) => byHand)).toEqual([false, false, true, true]);
    const set = withRow({ ...empty, points }, sections, 0, "c1", { value: 0.5, way: AT_BORDER }, false);
    expect(set.points.map((point) => point.at)).toEqual([
      0,
      { section: "c1", edge: "start", offset_s: 0 },
      35,
    ]);
  });

  test("is set alike in all sections of a name", () => {
    expect(alike(sections, sections[3]!).map(({ id }) => id)).toEqual(["c1", "c2"]);
    expect(alike(sections, { ...sections[0]!, name: "" })).toHaveLength(1);
  });
});

describe("the points of a lane", () => {
  const scale = { low: 20, high: 20000, scale: "log" } as const;
  const points: Point[] = [
    { at: 1, value: 100, ramp: "line" },
    { at: { section: "r", edge: "start", offset_s: 0 }, value: 1000, ramp: "hold" },
    { at: 25, value: 400, ramp: "hold" },
  ];

  test("travel on their own scale", () => {
    expect(at({ ...empty, points }, 5.5, true)).toBeCloseTo(Math.sqrt(100 * 1000));
    expect(at({ ...empty, points }, 0, true)).toBe(100);
  });

  test("never pass those that stay, hang on what they meet, and keep to the range", () => {
    const far = movePoints(points, new Set([1]), { seconds: 99, share: 2 }, scale, sections, 60);
    expect(far[1]).toEqual({ at: { section: "r", edge: "start", offset_s: 15 }, value: 20000, ramp: "hold" });
    const met = movePoints(points, new Set([2]), { seconds: -5, share: 0 }, scale, sections, 60);
    expect(met[2]!.at).toEqual({ section: "r", edge: "end", offset_s: 0 });
    const all = movePoints(points, new Set([0, 1, 2]), { seconds: -4, share: 0 }, scale, sections, 60);
    expect(timed(all, sections).map(({ seconds }) => seconds)).toEqual([0, 9, 24]);
  });

  test("are drawn together about their mean, and added in their place", () => {
    const near = scalePoints(points, new Set([0, 1]), 0, scale);
    expect(near[0]!.value).toBeCloseTo(Math.sqrt(100 * 1000));
    expect(near[2]!.value).toBe(400);
    const { points: more, index } = addPoint(points, 12, 300, sections);
    expect(index).toBe(2);
    expect(more[2]).toEqual({ at: 12, value: 300, ramp: "hold" });
  });

  test("are copied to another section as they lie in theirs", () => {
    const copied = copyPoints(points, new Set([2]), sections);
    const pasted = pastePoints(points, copied, "c2", sections);
    expect(pasted.at(-1)).toEqual({
      at: { section: "c2", edge: "start", offset_s: 5 },
      value: 400,
      ramp: "hold",
    });
    expect(pasted).toHaveLength(4);
  });

  test("are the recipe's when they are put there", () => {
    const ridden = withRide(
      { ...recipe, automation: [{ ...empty, param: "params.mix", points }] },
      { ...empty, points: [] },
    );
    expect(ridden.automation).toEqual([]);
    const put = rideOf(withRide(recipe, { ...empty, points }), "air", "mix")!.points;
    expect(put).toEqual(timed(points, recipe.sections).map(({ point }) => point));
    expect([...put].sort((a, b) => points.indexOf(a) - points.indexOf(b))).toEqual(points);
  });
});
