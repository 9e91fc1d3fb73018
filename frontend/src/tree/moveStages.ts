/** Stages put, moved and taken out, at any depth. */
import type { Recipe, Stage } from "../api/types";
import type { Home } from "./tree";
import {
  branchesOf,
  chainIn,
  depthOf,
  heightOf,
  homeOf,
  mapChains,
  splitOf,
  stageOf,
  walkChain,
} from "./tree";

/** Where a stage stands, or may be put: before the stage that is there now. */
export interface Place {
  home: Home;
  at: number;
}

export function placeOf(recipe: Recipe, id: string): Place | undefined {
  const home = homeOf(recipe, id);
  if (home === undefined) return undefined;
  return { home, at: chainIn(recipe, home).findIndex((stage) => stage.id === id) };
}

export function withStage(recipe: Recipe, id: string, change: (stage: Stage) => Stage): Recipe {
  return mapChains(recipe, (chain) => chain.map((stage) => (stage.id === id ? change(stage) : stage)));
}

export function putStages(recipe: Recipe, stages: Stage[], { home, at }: Place): Recipe {
  return mapChains(recipe, (chain, of) =>
    of === home ? [...chain.slice(0, at), ...stages, ...chain.slice(at)] : chain,
  );
}

/** Put stages in the place of one. */
export function replaceStage(recipe: Recipe, id: string, stages: Stage[]): Recipe {
  return mapChains(recipe, (chain) => chain.flatMap((stage) => (stage.id === id ? stages : [stage])));
}

export function removeStages(recipe: Recipe, ids: string[]): Recipe {
  return mapChains(recipe, (chain) => chain.filter((stage) => !ids.includes(stage.id)));
}

/** Whether stages may stand there: not inside themselves, and no more splits inside one another than there may be. */
export function mayStand(recipe: Recipe, stages: Stage[], home: Home, deepest: number): boolean {
  const inside = new Set(
    stages.flatMap((stage) => walkChain([stage]).flatMap((row) => branchesOf(row.stage).map(({ id }) => id))),
  );
  const tallest = Math.max(0, ...stages.map(heightOf));
  return !inside.has(home) && (tallest === 0 || depthOf(recipe, home) + tallest <= deepest);
}

/** Put stages at another place, in the order that they are named; the recipe itself where they may not stand there. */
export function moveStages(recipe: Recipe, ids: string[], to: Place, deepest: number): Recipe {
  const moved = ids.map((id) => stageOf(recipe, id)).filter((stage) => stage !== undefined);
  if (!moved.length || !mayStand(recipe, moved, to.home, deepest)) return recipe;
  const before = chainIn(recipe, to.home).slice(0, to.at);
  const at = before.filter((stage) => !ids.includes(stage.id)).length;
  return putStages(removeStages(recipe, ids), moved, { home: to.home, at });
}

/**
 * The next place up or down as the rows stand on the screen: past a stage, into a split and out of it again, from a
 * branch to its neighbour. None at the end of a bus or the master.
 */
export function nextPlace(recipe: Recipe, id: string, by: 1 | -1, deepest: number): Place | null {
  const stage = stageOf(recipe, id);
  const from = placeOf(recipe, id);
  if (!stage || !from) return null;
  const chain = chainIn(recipe, from.home);
  const neighbour = chain[from.at + by];
  if (neighbour) {
    const branch = by > 0 ? branchesOf(neighbour)[0] : branchesOf(neighbour).at(-1);
    if (branch && mayStand(recipe, [stage], branch.id, deepest))
      return { home: branch.id, at: by > 0 ? 0 : branch.chain.length };
    // places are counted with the stage still there
    return { home: from.home, at: by > 0 ? from.at + 2 : from.at - 1 };
  }
  const split = splitOf(recipe, from.home);
  if (!split) return null;
  const branches = branchesOf(split);
  const beside = branches[branches.findIndex((branch) => branch.id === from.home) + by];
  if (beside) return { home: beside.id, at: by > 0 ? 0 : beside.chain.length };
  const outer = placeOf(recipe, split.id)!;
  return { home: outer.home, at: by > 0 ? outer.at + 1 : outer.at };
}
