import { expect, test } from "vitest";
import type { Recipe, Stage } from "../api/types";
import {
  allBranches,
  chainIn,
  depthOf,
  heightOf,
  homeOf,
  idsOf,
  MASTER,
  mapChains,
  splitOf,
  walk,
  walkChain,
} from "./tree";

const trim = (id: string) =>
  ({ id, kind: "trim", on: true, channels: "stereo", mix: 1, params: {} }) as unknown as Stage;
const split = (id: string, ...chains: Stage[][]) =>
  ({
    ...trim(id),
    kind: "split",
    params: {
      by: "copies",
      crossovers_hz: [],
      branches: chains.map((chain, i) => ({ id: `${id}-${i}`, chain })),
    },
  }) as unknown as Stage;

const recipe = {
  buses: [{ id: "mix", chain: [trim("a")] }],
  groups: [],
  master: [split("s", [trim("b"), split("t", [trim("c")])], []), trim("d")],
  sections: [{ id: "v1" }],
  automation: [],
} as unknown as Recipe;

test("walks every stage at any depth, a split before what is in it", () => {
  expect(walk(recipe).map(({ id }) => id)).toEqual(["a", "s", "b", "t", "c", "d"]);
  expect(walkChain(recipe.master).map(({ depth }) => depth)).toEqual([0, 1, 1, 2, 0]);
  expect(allBranches(recipe).map(({ id }) => id)).toEqual(["s-0", "s-1", "t-0"]);
});

test("tells whose chain a stage stands in, the innermost, and how deep that is", () => {
  const homes = ["a", "b", "c", "d", "t"].map((id) => homeOf(recipe, id)!);
  expect(homes).toEqual(["mix", "s-0", "t-0", MASTER, "s-0"]);
  expect(homes.map((home) => depthOf(recipe, home))).toEqual([0, 1, 2, 0, 1]);
  expect(homeOf(recipe, "nobody")).toBeUndefined();
  expect(splitOf(recipe, "t-0")?.id).toBe("t");
  expect(chainIn(recipe, "s-0").map(({ id }) => id)).toEqual(["b", "t"]);
  expect(recipe.master.map(heightOf)).toEqual([2, 0]);
});

test("changes chains at any depth and leaves the recipe as it was", () => {
  const before = JSON.stringify(recipe);
  const without = mapChains(recipe, (chain) => chain.filter(({ id }) => id !== "c" && id !== "a"));
  expect(walk(without).map(({ id }) => id)).toEqual(["s", "b", "t", "d"]);
  expect(JSON.stringify(recipe)).toBe(before);
});

test("all ids share one namespace", () => {
  expect([...idsOf(recipe)].sort()).toEqual(["a", "b", "c", "d", "mix", "s", "s-0", "s-1", "t", "t-0", "v1"]);
});
