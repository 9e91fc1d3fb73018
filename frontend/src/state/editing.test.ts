import { describe, expect, it } from "vitest";
import type { KindInfo, Recipe } from "../api/types";
import { moveStages, putStages, removeStages } from "../tree/moveStages";
import { allBranches, MASTER } from "../tree/tree";
import {
  chainOf,
  dissolve,
  laneOf,
  newPlace,
  newStage,
  paramLabel,
  setField,
  setParam,
  takeStage,
} from "./editing";
import { overlay, Readings, READING_FRAMES } from "./readings";

const stage = (id: string, kind: string) => ({
  id,
  kind,
  on: true,
  channels: "stereo",
  mix: 1,
  params: { gain_db: 0 },
});
const recipe = {
  format: "tin-kettle-recipe",
  version: 1,
  buses: [{ id: "mix", name: "Mix", group: null, chain: [], gain_db: 0, pan: 0, muted: false }],
  groups: [],
  master: [stage("a", "trim"), stage("b", "filter"), stage("c", "limiter")],
  sections: [],
  automation: [],
} as unknown as Recipe;
const gain = { name: "gain_db", type: "number", label: "Gain", unit: "dB", low: -36, high: 36, default: 0 };
const trim = { kind: "trim", title: "Trim", params: [gain] } as unknown as KindInfo;
const ids = (r: Recipe) => r.master.map((s) => s.id);

describe("editing a recipe", () => {
  it("leaves the recipe it was given alone", () => {
    const before = JSON.stringify(recipe);
    setParam(recipe, "a", "gain_db", 3);
    setField(recipe, "b", { on: false });
    removeStages(recipe, ["b"]);
    moveStages(recipe, ["a"], { home: MASTER, at: 2 }, 4);
    newStage(recipe, trim);
    expect(JSON.stringify(recipe)).toBe(before);
  });

  it("dissolves a group into what it fed, and nothing listens to it any more", () => {
    const bus = recipe.buses[0]!;
    const keyed = (...key: string[]) => ({ ...stage("k", "compressor"), params: { key } });
    const grouped = {
      ...recipe,
      buses: [
        { ...bus, id: "kick", group: "inner" },
        { ...bus, id: "bass", chain: [keyed("inner", "kick")] },
      ],
      groups: [
        { ...bus, id: "outer" },
        { ...bus, id: "inner", group: "outer" },
      ],
      master: [keyed("inner")],
    } as unknown as Recipe;
    const done = dissolve(grouped, "inner");
    expect(done.buses.map(({ group }) => group)).toEqual(["outer", null]);
    expect(done.groups.map(({ id }) => id)).toEqual(["outer"]);
    expect([done.buses[1]!.chain[0]!.params, done.master[0]!.params]).toEqual([
      { key: ["kick"] },
      { key: null },
    ]);
  });

  it("adds below the chosen stage, else before the limiter that ends the chain", () => {
    const made = newStage(recipe, trim);
    expect(made).toMatchObject({ id: "trim-1", params: { gain_db: 0 } });
    expect(newPlace(recipe, MASTER, null, "trim")).toEqual({ home: MASTER, at: 2 });
    expect(newPlace(recipe, MASTER, "a", "trim")).toEqual({ home: MASTER, at: 1 });
    expect(newPlace(recipe, MASTER, "c", "trim"), "not behind the last limiter").toEqual({
      home: MASTER,
      at: 2,
    });
    expect(newPlace(recipe, MASTER, "c", "limiter")).toEqual({ home: MASTER, at: 3 });
    expect(newPlace(recipe, "mix", "a", "trim"), "chosen elsewhere").toEqual({ home: "mix", at: 0 });
    const added = putStages(recipe, [made], { home: "mix", at: 0 });
    expect(newStage(added, trim).id).toBe("trim-2");
    expect(laneOf(added, "trim-1")).toBe("mix");
    expect(chainOf(setParam(added, "trim-1", "gain_db", 2), "mix")[0]?.params).toEqual({ gain_db: 2 });
  });

  it("takes a stage over from another recipe, or away where that has none", () => {
    const other = setParam(recipe, "a", "gain_db", 5);
    expect(takeStage(recipe, other, "a").master[0]?.params).toEqual({ gain_db: 5 });
    expect(ids(takeStage(recipe, removeStages(other, ["b"]), "b"))).toEqual(["a", "c"]);
    expect(ids(takeStage(removeStages(recipe, ["b"]), recipe, "b"))).toEqual(["a", "b", "c"]);
  });

  it("takes away and takes over inside a branch as anywhere", () => {
    const branch = (id: string, ...chain: unknown[]) => ({ id, chain });
    const parts = {
      ...stage("s", "split"),
      params: {
        branches: [branch("low", stage("p", "trim"), stage("q", "trim")), branch("high", stage("r", "trim"))],
      },
    };
    const split = { ...recipe, master: [parts, stage("l", "limiter")] } as unknown as Recipe;
    const inside = (r: Recipe) => allBranches(r).map(({ chain }) => chain.map(({ id }) => id).join(""));
    const without = removeStages(split, ["q"]);
    expect(inside(without)).toEqual(["p", "r"]);
    expect(inside(takeStage(without, split, "q"))).toEqual(["pq", "r"]);
    expect(ids(takeStage(without, split, "q"))).toEqual(["s", "l"]);
    // a branch that is not there comes with its split
    expect(takeStage(removeStages(split, ["s"]), split, "r")).toEqual(split);
  });

  it("names what was changed", () => {
    expect(paramLabel("Trim", trim.params[0]!, -3)).toBe("Trim: Gain −3.0 dB");
  });
});

describe("readings over the song", () => {
  it("stand where they were heard, the strongest of a column counts, the survey fills the rest", () => {
    const readings = new Readings();
    readings.reset(100 * READING_FRAMES);
    const row = (...values: number[]) => Float32Array.from(values);
    const reading = { input_db: row(-9, -3, -6, -8), effort_db: row(0, -2, -1, 0) };
    const head = { epoch: 0, revision: 0, frames: 1024, position: 0, song: 8 * READING_FRAMES };
    readings.take(head, { stages: { hold: reading } } as never);
    const live = readings.columns("hold", 8 * READING_FRAMES, 16 * READING_FRAMES, 4)!;
    expect(live.input_db!.slice(0, 2)).toEqual([-3, -6]);
    expect(live.effort_db!.slice(0, 2)).toEqual([-2, -1]);
    expect(live.effort_db![3]).toBeNaN();
    const survey = { input_db: [1, 2, 3, 4], heard_db: [1, 2, 3, 4], effort_db: [-4, -4, -4, -4] };
    expect(overlay("effort_db", survey, live, 4)).toEqual([-2, -1, -4, -4]);
  });
});
