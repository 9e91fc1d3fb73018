/** Splits made, divided otherwise and dissolved; branches added, copied and removed. */
import type { Branch, Recipe, SplitDeclared, Stage } from "../api/types";
import { copied, freshIds } from "./newIds";
import { placeOf, putStages, removeStages, replaceStage, withStage } from "./moveStages";
import { branchesOf, chainAround, mapChains, splitOf, stageOf } from "./tree";

export type Split = Extract<Stage, { kind: "split" }>;
export type By = Split["params"]["by"];

const LOWEST_HZ = 20;
const HIGHEST_HZ = 20000;
const FIRST_CORNERS_HZ = [120, 2400, 8000, 400];

function branchOf(id: string, name: string, chain: Stage[] = []): Branch {
  return { id, name, muted: false, gain_db: 0, pan: 0, width: 1, chain };
}

/** Corners for so many bands: those that are there, the widest band halved until there are enough. */
export function cornersFor(corners: number[], bands: number): number[] {
  const made = corners.length
    ? corners.slice(0, bands - 1)
    : FIRST_CORNERS_HZ.slice(0, Math.min(2, bands - 1));
  while (made.length < bands - 1) made.push(widestHalved(made));
  return made.sort((a, b) => a - b);
}

function widestHalved(corners: number[]): number {
  const edges = [LOWEST_HZ, ...corners, HIGHEST_HZ].sort((a, b) => a - b);
  const gaps = edges
    .slice(1)
    .map((high, i) => ({ low: edges[i]!, high, octaves: Math.log2(high / edges[i]!) }));
  const widest = gaps.reduce((a, b) => (b.octaves > a.octaves ? b : a));
  return Number(Math.sqrt(widest.low * widest.high).toPrecision(2));
}

/** A split with empty branches. */
export function newSplit(recipe: Recipe, by: By, declared: SplitDeclared): Split {
  const fresh = freshIds(recipe);
  const count = Math.max(2, declared.parts[by].least);
  const names = declared.names[by][count] ?? [];
  return {
    id: fresh("split"),
    kind: "split",
    on: true,
    channels: "stereo",
    mix: 1,
    params: {
      by,
      resolution_ms: declared.resolution_ms,
      crossovers_hz: by === "bands" ? cornersFor([], count) : [],
      branches: names.map((name) => branchOf(fresh("branch"), name)),
    },
  };
}

/**
 * Wrap stages that stand in one chain in a split: its first branch holds them. Beside them other copies are muted, so
 * that nothing is heard otherwise until one of them is brought in.
 */
export function wrap(
  recipe: Recipe,
  ids: string[],
  by: By,
  declared: SplitDeclared,
): { recipe: Recipe; id: string } {
  const chain = chainAround(recipe, ids[0] ?? "");
  const inside = chain.filter((stage) => ids.includes(stage.id));
  const place = placeOf(recipe, inside[0]?.id ?? "");
  if (!place) return { recipe, id: "" };
  const split = newSplit(recipe, by, declared);
  const [first, ...others] = split.params.branches;
  const branches = [
    { ...first!, name: by === "copies" ? "Treated" : first!.name, chain: inside },
    ...others.map((branch) => (by === "copies" ? { ...branch, name: "As it came", muted: true } : branch)),
  ];
  const wrapped = { ...split, params: { ...split.params, branches } };
  return { recipe: putStages(removeStages(recipe, ids), [wrapped], place), id: split.id };
}

/** The stages of all branches, one after the other, in the place of their split. */
export function dissolveSplit(recipe: Recipe, id: string): Recipe {
  const stage = stageOf(recipe, id);
  if (stage?.kind !== "split") return recipe;
  return replaceStage(
    recipe,
    id,
    branchesOf(stage).flatMap(({ chain }) => chain),
  );
}

function withSplit(recipe: Recipe, id: string, change: (split: Split) => Split): Recipe {
  return withStage(recipe, id, (stage) => (stage.kind === "split" ? change(stage) : stage));
}

/** Divide by something else: branches keep their stages; those of branches that there are no more go into the last. */
export function divideBy(recipe: Recipe, id: string, by: By, declared: SplitDeclared): Recipe {
  const fresh = freshIds(recipe);
  return withSplit(recipe, id, (split) => {
    const { branches, by: before, crossovers_hz } = split.params;
    const { least, most } = declared.parts[by];
    const count = Math.max(least, Math.min(most, branches.length));
    const left = branches.slice(count).flatMap(({ chain }) => chain);
    const kept = branches.slice(0, count);
    while (kept.length < count) kept.push(branchOf(fresh("branch"), ""));
    if (left.length) kept[count - 1] = { ...kept[count - 1]!, chain: [...kept[count - 1]!.chain, ...left] };
    const given = declared.names[before][branches.length] ?? [];
    const names = declared.names[by][count] ?? [];
    const named = kept.map((branch, i) =>
      branch.name === "" || branch.name === given[i] ? { ...branch, name: names[i] ?? "" } : branch,
    );
    const corners = by === "bands" ? cornersFor(crossovers_hz, count) : [];
    return { ...split, params: { ...split.params, by, crossovers_hz: corners, branches: named } };
  });
}

/** Names that were never changed follow the number of branches. */
function renumbered(split: Split, branches: Branch[], before: number, declared: SplitDeclared): Branch[] {
  const { by } = split.params;
  const given = new Set(declared.names[by][before]);
  const names = declared.names[by][branches.length] ?? [];
  const untouched = branches.every(({ name }) => name === "" || given.has(name));
  return branches.map((branch, i) =>
    untouched || branch.name === "" ? { ...branch, name: names[i] ?? "" } : branch,
  );
}

/** One more branch, the last: another copy, or the highest band halved. */
export function addBranch(recipe: Recipe, id: string, declared: SplitDeclared): Recipe {
  const name = freshIds(recipe)("branch");
  return withSplit(recipe, id, (split) => {
    const { branches, by, crossovers_hz } = split.params;
    if (branches.length >= declared.parts[by].most) return split;
    const more = [...branches, branchOf(name, "")];
    const corner = Number(Math.sqrt((crossovers_hz.at(-1) ?? LOWEST_HZ) * HIGHEST_HZ).toPrecision(2));
    const corners = by === "bands" ? [...crossovers_hz, corner] : crossovers_hz;
    const named = renumbered(split, more, branches.length, declared);
    return { ...split, params: { ...split.params, by, crossovers_hz: corners, branches: named } };
  });
}

/** The same branch again beside it, with all that is in it and how that moves; of bands, the band is halved. */
export function copyBranch(recipe: Recipe, id: string, declared: SplitDeclared): Recipe {
  const split = splitOf(recipe, id);
  const fresh = freshIds(recipe);
  if (!split || split.params.branches.length >= declared.parts[split.params.by].most) return recipe;
  const { branches, by, crossovers_hz } = split.params;
  const at = branches.findIndex((branch) => branch.id === id);
  const made = copied(branches[at]!.chain, recipe.automation, fresh);
  const twin: Branch = {
    ...branches[at]!,
    id: fresh("branch"),
    name: `${branches[at]!.name} again`.trim(),
    chain: made.stages,
  };
  const edges = [LOWEST_HZ, ...crossovers_hz, HIGHEST_HZ];
  const between = Number(Math.sqrt(edges[at]! * edges[at + 1]!).toPrecision(2));
  const corners = by === "bands" ? [...crossovers_hz, between].sort((a, b) => a - b) : crossovers_hz;
  const more = [...branches.slice(0, at + 1), twin, ...branches.slice(at + 1)];
  const changed = withSplit(recipe, split.id, (one) => ({
    ...one,
    params: { ...one.params, crossovers_hz: corners, branches: more },
  }));
  const rides = recipe.automation.filter(({ target }) => target === id);
  const again = rides.map((ride) => ({ ...ride, target: twin.id }));
  return { ...changed, automation: [...recipe.automation, ...made.automation, ...again] };
}

/** Without a branch and what is in it; its band goes to the one below, the lowest to the one above. */
export function removeBranch(recipe: Recipe, id: string, declared: SplitDeclared): Recipe {
  const split = splitOf(recipe, id);
  if (!split || split.params.branches.length <= declared.parts[split.params.by].least) return recipe;
  const { branches, by, crossovers_hz } = split.params;
  const at = branches.findIndex((branch) => branch.id === id);
  const corners = crossovers_hz.filter((_, i) => i !== Math.max(0, at - 1));
  const left = branches.filter((branch) => branch.id !== id);
  return withSplit(recipe, split.id, (one) => ({
    ...one,
    params: {
      ...one.params,
      crossovers_hz: by === "bands" ? corners : crossovers_hz,
      branches: renumbered(one, left, branches.length, declared),
    },
  }));
}

export function setBranch(recipe: Recipe, id: string, fields: Partial<Branch>): Recipe {
  return mapChains(recipe, (chain) =>
    chain.map((stage) => {
      if (!branchesOf(stage).some((branch) => branch.id === id) || stage.kind !== "split") return stage;
      const branches = stage.params.branches.map((one) => (one.id === id ? { ...one, ...fields } : one));
      return { ...stage, params: { ...stage.params, branches } };
    }),
  );
}

const NEAREST_OCTAVES = 1 / 3;

/** Corners with one moved; it stays between its neighbours, a third of an octave away from each. */
export function movedCorner(
  corners: readonly number[],
  index: number,
  hz: number,
  highest: number,
): number[] {
  const apart = 2 ** NEAREST_OCTAVES;
  const low = index > 0 ? corners[index - 1]! * apart : LOWEST_HZ;
  const high = index < corners.length - 1 ? corners[index + 1]! / apart : Math.min(HIGHEST_HZ, highest);
  const moved = Number(Math.max(low, Math.min(high, hz)).toPrecision(3));
  const held = Math.max(low, Math.min(high, moved));
  return corners.map((one, i) => (i === index ? held : one));
}
