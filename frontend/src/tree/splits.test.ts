import { describe, expect, it } from "vitest";
import type { ParameterAutomation } from "../api/types";
import { DECLARED, recipeOf, shown, split, trim } from "./testRecipes";
import { withoutLostRides } from "./automation";
import {
  addBranch,
  copyBranch,
  cornersFor,
  dissolveSplit,
  divideBy,
  movedCorner,
  newSplit,
  removeBranch,
  setBranch,
  wrap,
} from "./splits";
import type { Split } from "./splits";
import { idsOf, stageOf, walk } from "./tree";
import type { Recipe } from "../api/types";

const flat = recipeOf(trim("a"), trim("b"), trim("c"));
const parted = recipeOf(split("s", [trim("a")], [trim("b")], [trim("c")]));
const splitIn = (recipe: Recipe, id: string) => stageOf(recipe, id) as Split;
const names = (recipe: Recipe, id: string) => splitIn(recipe, id).params.branches.map(({ name }) => name);
const ride = (target: string, param = "gain_db") =>
  ({ target, param, points: [{ at: 0, value: 0, ramp: "hold" }] }) as ParameterAutomation;

describe("splits", () => {
  it("begin with as many branches as they must have, named", () => {
    const made = newSplit(flat, "bands", DECLARED);
    expect(made.params.branches.map(({ name }) => name)).toEqual(["Low", "High"]);
    expect(made.params.crossovers_hz).toEqual([120]);
    expect(newSplit(flat, "mid_side", DECLARED).params.branches.map(({ name }) => name)).toEqual([
      "Mid",
      "Side",
    ]);
  });

  it("are wrapped around stages without another sound, and dissolved again", () => {
    const wrapped = wrap(flat, ["b", "a"], "copies", DECLARED);
    expect(shown(wrapped.recipe.master)).toBe("split-1(a b|) c");
    const [treated, dry] = splitIn(wrapped.recipe, wrapped.id).params.branches;
    expect([treated!.name, dry!.name, dry!.muted]).toEqual(["Treated", "As it came", true]);
    expect(shown(dissolveSplit(wrapped.recipe, wrapped.id).master)).toBe("a b c");
    expect(dissolveSplit(flat, "a")).toBe(flat);
    expect(wrap(flat, ["nobody"], "copies", DECLARED).recipe).toBe(flat);
  });

  it("divide otherwise and lose no stage", () => {
    const sides = divideBy(parted, "s", "mid_side", DECLARED);
    expect(shown(sides.master)).toBe("s(a|b c)");
    expect(names(sides, "s")).toEqual(["Mid", "Side"]);
    const bands = divideBy(parted, "s", "bands", DECLARED);
    expect(splitIn(bands, "s").params.crossovers_hz).toEqual([120, 2400]);
    expect(names(bands, "s")).toEqual(["Low", "Middle", "High"]);
    const own = setBranch(parted, "s-1", { name: "Snare" });
    expect(names(divideBy(own, "s", "bands", DECLARED), "s")).toEqual(["Low", "Snare", "High"]);
    const one = recipeOf(split("s", [trim("a")]));
    expect(shown(divideBy(one, "s", "left_right", DECLARED).master)).toBe("s(a|)");
  });

  it("get branches and lose them, with their crossovers", () => {
    const bands = divideBy(recipeOf(split("s", [trim("a")], [trim("b")])), "s", "bands", DECLARED);
    const more = addBranch(bands, "s", DECLARED);
    expect(splitIn(more, "s").params.crossovers_hz).toHaveLength(2);
    expect(names(more, "s")).toEqual(["Low", "Middle", "High"]);
    const fewer = removeBranch(more, "s-0", DECLARED);
    expect(shown(fewer.master)).toBe("s(b|)");
    expect(splitIn(fewer, "s").params.crossovers_hz).toEqual(
      splitIn(more, "s").params.crossovers_hz.slice(1),
    );
    expect(removeBranch(fewer, "s-1", DECLARED), "two at least").toBe(fewer);
    let full = more;
    for (let i = 0; i < 9; i++) full = addBranch(full, "s", DECLARED);
    const corners = splitIn(full, "s").params.crossovers_hz;
    expect(splitIn(full, "s").params.branches).toHaveLength(5);
    expect(corners).toEqual([...corners].sort((a, b) => a - b));
  });

  it("copy a branch under ids of its own, with how it moves", () => {
    const moving = { ...parted, automation: [ride("a"), ride("s-0"), ride("b")] };
    const again = copyBranch(moving, "s-0", DECLARED);
    expect(splitIn(again, "s").params.branches).toHaveLength(4);
    expect(walk(again)).toHaveLength(new Set(walk(again).map(({ id }) => id)).size);
    expect(idsOf(again).size).toBe(idsOf(parted).size + 2);
    const twin = splitIn(again, "s").params.branches[1]!;
    const targets = again.automation.map(({ target }) => target);
    expect(targets).toEqual(["a", "s-0", "b", twin.chain[0]!.id, twin.id]);
  });

  it("keep crossovers in order, a third of an octave apart", () => {
    const moved = (index: number, hz: number) => movedCorner([120, 2400], index, hz, 21000);
    expect(moved(0, 300)).toEqual([300, 2400]);
    expect(moved(0, 9000)[0]! * 2 ** (1 / 3)).toBeLessThanOrEqual(2400);
    expect(moved(0, 9000)[0]).toBeGreaterThan(1880);
    expect(moved(1, 5)[1]).toBeCloseTo(120 * 2 ** (1 / 3), 5);
    expect(moved(0, 1)).toEqual([20, 2400]);
    expect(moved(1, 50000)).toEqual([120, 20000]);
  });

  it("halve the widest band where corners are missing", () => {
    expect(cornersFor([], 3)).toEqual([120, 2400]);
    expect(cornersFor([1000], 3)).toEqual([140, 1000]);
    expect(cornersFor([100, 1000, 5000], 2)).toEqual([100]);
  });
});

describe("rides of what is gone", () => {
  it("go with it", () => {
    const equalizer = { ...trim("e"), params: { bands: [{ id: "b1" }] } } as unknown as ReturnType<
      typeof trim
    >;
    const moving = {
      ...recipeOf(trim("a"), equalizer, split("s", [])),
      automation: [ride("a"), ride("s-0"), ride("mix"), ride("e", "bands.b1.gain_db")],
    };
    expect(withoutLostRides(moving)).toBe(moving);
    const lost = [ride("gone"), ride("e", "bands.b2.gain_db"), ride("e", "params.bands.b3.hz")];
    expect(withoutLostRides({ ...moving, automation: [...moving.automation, ...lost] }).automation).toEqual(
      moving.automation,
    );
  });
});
