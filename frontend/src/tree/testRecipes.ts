/** Recipes for the tests, as small as they may be. */
import type { Recipe, Stage } from "../api/types";

export const DECLARED = {
  parts: {
    bands: { least: 2, most: 5 },
    copies: { least: 1, most: 8 },
    mid_side: { least: 2, most: 2 },
    left_right: { least: 2, most: 2 },
    percussive: { least: 3, most: 3 },
  },
  names: {
    bands: { 2: ["Low", "High"], 3: ["Low", "Middle", "High"] },
    copies: { 1: ["Copy 1"], 2: ["Copy 1", "Copy 2"], 3: ["Copy 1", "Copy 2", "Copy 3"] },
    mid_side: { 2: ["Mid", "Side"] },
    left_right: { 2: ["Left", "Right"] },
    percussive: { 3: ["Hits", "Tonal", "Rest"] },
  },
  resolution_ms: 43 as const,
  deepest: 4,
};

export const trim = (id: string) =>
  ({ id, kind: "trim", on: true, channels: "stereo", mix: 1, params: { gain_db: 0 } }) as unknown as Stage;

export const split = (id: string, ...chains: Stage[][]) =>
  ({
    ...trim(id),
    kind: "split",
    params: {
      by: "copies",
      crossovers_hz: [],
      branches: chains.map((chain, i) => ({ id: `${id}-${i}`, name: `Copy ${i + 1}`, gain_db: 0, chain })),
    },
  }) as unknown as Stage;

export const recipeOf = (...master: Stage[]) =>
  ({
    format: "tin-kettle-recipe",
    version: 1,
    buses: [{ id: "mix", name: "Mix", group: null, chain: [], gain_db: 0, pan: 0, muted: false }],
    groups: [],
    master,
    sections: [],
    automation: [],
  }) as unknown as Recipe;

/** A chain as text: `a s(b|t(c)) d`. */
export function shown(chain: Stage[]): string {
  return chain
    .map((stage) =>
      stage.kind === "split"
        ? `${stage.id}(${stage.params.branches.map((branch) => shown(branch.chain)).join("|")})`
        : stage.id,
    )
    .join(" ");
}
