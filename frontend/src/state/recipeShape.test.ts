import { describe, expect, it, vi } from "vitest";
import type { Recipe } from "../api/types";

vi.hoisted(() => {
  Object.assign(globalThis, { localStorage: { getItem: () => null, setItem: () => undefined } });
});
const { shapeOf } = await import("./recipeShape");

const recipe = {
  format: "tin-kettle-recipe",
  version: 1,
  buses: [{ id: "mix", name: "Mix", group: null, chain: [], gain_db: 0, pan: 0, muted: false }],
  groups: [],
  master: [{ id: "t", kind: "trim", on: true, channels: "stereo", mix: 1, params: { gain_db: 0 } }],
  sections: [],
  automation: [],
} as unknown as Recipe;

describe("a recipe's shape", () => {
  it("does not follow values, and follows everything else", () => {
    const [stage] = recipe.master;
    const louder = { ...stage!, params: { ...stage!.params, gain_db: 3 } } as Recipe["master"][number];
    expect(shapeOf({ ...recipe, master: [louder] })).toBe(shapeOf(recipe));
    expect(shapeOf({ ...recipe, buses: [{ ...recipe.buses[0]!, gain_db: -3 }] })).toBe(shapeOf(recipe));
    for (const other of [
      { ...recipe, master: [] },
      { ...recipe, master: [{ ...stage!, on: false }] },
      { ...recipe, master: [{ ...stage!, channels: "mid" as const }] },
      { ...recipe, buses: [{ ...recipe.buses[0]!, name: "Drums" }] },
      { ...recipe, sections: [{ id: "a", name: "Verse", start_s: 0, end_s: 1 }] },
    ])
      expect(shapeOf(other as Recipe)).not.toBe(shapeOf(recipe));
  });
});
