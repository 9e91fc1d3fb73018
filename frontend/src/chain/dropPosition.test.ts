import { expect, test } from "vitest";
import { recipeOf, split, trim } from "../tree/testRecipes";
import { dropPosition } from "./dropPosition";

const recipe = recipeOf(trim("a"), split("s", [trim("b")], [trim("c")]), trim("d"));
const at = (kind: "stage" | "branch" | "join", id: string, lower: boolean) =>
  dropPosition(recipe, { kind, id }, lower);

test("a stage that is let go over a row goes above or below it, as the rows stand", () => {
  expect(at("stage", "a", false)).toEqual({ home: "*master", at: 0 });
  expect(at("stage", "a", true)).toEqual({ home: "*master", at: 1 });
  expect(at("stage", "c", true)).toEqual({ home: "s-1", at: 1 });
  expect(at("stage", "gone", true)).toBeNull();
});

test("below a split is the start of its first branch, above a branch the end of the one before", () => {
  expect(at("stage", "s", true)).toEqual({ home: "s-0", at: 0 });
  expect(at("branch", "s-1", false)).toEqual({ home: "s-0", at: 1 });
  expect(at("branch", "s-1", true)).toEqual({ home: "s-1", at: 0 });
  expect(at("branch", "s-0", false)).toEqual({ home: "s-0", at: 0 });
});

test("where branches rejoin is the end of the last one, and then the chain again", () => {
  expect(at("join", "s", false)).toEqual({ home: "s-1", at: 1 });
  expect(at("join", "s", true)).toEqual({ home: "*master", at: 2 });
});
