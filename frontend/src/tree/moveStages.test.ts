import { describe, expect, it } from "vitest";
import { recipeOf, shown, split, trim } from "./testRecipes";
import { mayStand, moveStages, nextPlace, placeOf, putStages, removeStages } from "./moveStages";
import { stageOf, walk } from "./tree";

const recipe = recipeOf(trim("a"), split("s", [trim("b"), trim("c")], []), trim("d"));
const master = (r: typeof recipe) => shown(r.master);

describe("moving stages", () => {
  it("finds places at any depth, and puts and takes away there", () => {
    expect(placeOf(recipe, "c")).toEqual({ home: "s-0", at: 1 });
    expect(placeOf(recipe, "nobody")).toBeUndefined();
    expect(master(putStages(recipe, [trim("x")], { home: "s-1", at: 0 }))).toBe("a s(b c|x) d");
    expect(master(removeStages(recipe, ["b", "d"]))).toBe("a s(c|)");
    expect(master(recipe)).toBe("a s(b c|) d");
  });

  it("counts places with the stages still there", () => {
    const flat = recipeOf(trim("a"), trim("b"), trim("c"), trim("d"));
    const to = (ids: string[], at: number) => master(moveStages(flat, ids, { home: "*master", at }, 4));
    expect(to(["a"], 2)).toBe("b a c d");
    expect(to(["a"], 4)).toBe("b c d a");
    expect(to(["d"], 0)).toBe("d a b c");
    expect(to(["a", "c"], 4)).toBe("b d a c");
    expect(to(["b"], 1)).toBe("a b c d");
    expect(moveStages(flat, ["x"], { home: "*master", at: 0 }, 4)).toBe(flat);
  });

  it("goes to other branches and buses, with all that is inside", () => {
    expect(master(moveStages(recipe, ["b"], { home: "s-1", at: 0 }, 4))).toBe("a s(c|b) d");
    const away = moveStages(recipe, ["s"], { home: "mix", at: 0 }, 4);
    expect([master(away), shown(away.buses[0]!.chain)]).toEqual(["a d", "s(b c|)"]);
  });

  it("is refused into itself, and deeper than may be", () => {
    expect(moveStages(recipe, ["s"], { home: "s-1", at: 0 }, 4)).toBe(recipe);
    const deep = recipeOf(split("s", [split("t", [])]), split("u", []));
    expect(mayStand(deep, [stageOf(deep, "u")!], "t-0", 3)).toBe(true);
    expect(mayStand(deep, [stageOf(deep, "u")!], "t-0", 2)).toBe(false);
    expect(mayStand(deep, [trim("x")], "t-0", 2)).toBe(true);
  });

  it("walks up and down through every place of the screen and back", () => {
    const steps = (id: string, by: 1 | -1) => {
      const seen: string[] = [];
      let now = recipe;
      for (;;) {
        const place = nextPlace(now, id, by, 4);
        if (!place) return seen;
        now = moveStages(now, [id], place, 4);
        seen.push(master(now));
      }
    };
    const down = ["s(a b c|) d", "s(b a c|) d", "s(b c a|) d", "s(b c|a) d", "s(b c|) a d", "s(b c|) d a"];
    expect(steps("a", 1)).toEqual(down);
    expect(steps("d", -1)).toEqual([
      "a s(b c|d)",
      "a s(b c d|)",
      "a s(b d c|)",
      "a s(d b c|)",
      "a d s(b c|)",
      "d a s(b c|)",
    ]);
  });

  it("passes a split that it may not go into", () => {
    const two = recipeOf(split("s", []), split("t", []));
    expect(nextPlace(two, "s", 1, 1)).toEqual({ home: "*master", at: 2 });
    expect(master(moveStages(two, ["s"], nextPlace(two, "s", 1, 1)!, 1))).toBe("t() s()");
  });

  it("keeps every stage, wherever it goes", () => {
    const all = (r: typeof recipe) =>
      walk(r)
        .map(({ id }) => id)
        .sort();
    for (const id of ["a", "s", "b", "d"])
      for (const home of ["*master", "s-0", "s-1", "mix"])
        for (const at of [0, 1, 2])
          expect(all(moveStages(recipe, [id], { home, at }, 4))).toEqual(all(recipe));
  });
});
