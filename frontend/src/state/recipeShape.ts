/** What a recipe is made of, without the values that move under a hand: most of the bench need not follow each of them. */
import type { Bus, Recipe, Stage } from "../api/types";
import { branchesOf } from "../tree/tree";
import { useBench } from "./store";

const known = new WeakMap<Recipe, string>();

const stages = (chain: Stage[]): unknown[] =>
  chain.map((stage) => {
    const inside = branchesOf(stage).map(({ id, name, chain: inner }) => [id, name, stages(inner)]);
    return [stage.id, stage.kind, stage.on, stage.channels, inside];
  });
const lane = ({ id, name, group, muted, chain }: Bus) => [id, name, group, muted, stages(chain)];

/** The same text for recipes that differ in values alone. */
export function shapeOf(recipe: Recipe): string {
  let shape = known.get(recipe);
  if (shape === undefined) {
    const { buses, groups, master, sections } = recipe;
    shape = JSON.stringify([buses.map(lane), groups.map(lane), stages(master), sections]);
    known.set(recipe, shape);
  }
  return shape;
}

/**
 * The recipe, to be drawn anew when its shape changes. Its values may be old: an edit starts from
 * `useBench.getState().recipe`.
 */
export function useShape(): Recipe {
  useBench((s) => (s.recipe ? shapeOf(s.recipe) : ""));
  return useBench.getState().recipe!;
}
