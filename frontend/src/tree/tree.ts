/** How chains nest: the only place that knows. Recipes go in and come out; nothing is changed in place. */
import type { Branch, Bus, Recipe, Stage } from "../api/types";

/** Whose chain: a bus, a group or a branch by its id, or the master. */
export type Home = string;
export const MASTER: Home = "*master";

/** The branches of a split; none of any other stage. */
export function branchesOf(stage: Stage): Branch[] {
  return stage.kind === "split" ? stage.params.branches : [];
}

/** The stages of a chain and all that is in them, a split before what is in it, each with its depth. */
export function walkChain(chain: Stage[], depth = 0): { stage: Stage; depth: number }[] {
  return chain.flatMap((stage) => [
    { stage, depth },
    ...branchesOf(stage).flatMap((branch) => walkChain(branch.chain, depth + 1)),
  ]);
}

/** Every stage of a recipe at any depth: buses, groups, master. */
export function walk(recipe: Recipe): Stage[] {
  const chains = [...recipe.buses, ...recipe.groups].map((bus) => bus.chain);
  return [...chains, recipe.master].flatMap((chain) => walkChain(chain)).map(({ stage }) => stage);
}

/** Every branch of a recipe at any depth. */
export function allBranches(recipe: Recipe): Branch[] {
  return walk(recipe).flatMap(branchesOf);
}

/** Everything that holds a chain, with it: buses and groups, then branches, then the master. */
function homes(recipe: Recipe): { id: Home; chain: Stage[] }[] {
  const lanes = [...recipe.buses, ...recipe.groups, ...allBranches(recipe)];
  return [...lanes, { id: MASTER, chain: recipe.master }];
}

/** Whose chain a stage stands in, the innermost. */
export function homeOf(recipe: Recipe, stage: string): Home | undefined {
  return homes(recipe).find(({ chain }) => chain.some(({ id }) => id === stage))?.id;
}

/** The stages of a bus, a group, a branch or the master. */
export function chainIn(recipe: Recipe, home: Home): Stage[] {
  return homes(recipe).find(({ id }) => id === home)?.chain ?? [];
}

/** The chain that a stage stands in, at any depth. */
export function chainAround(recipe: Recipe, stage: string): Stage[] {
  const home = homeOf(recipe, stage);
  return home === undefined ? [] : chainIn(recipe, home);
}

/** What a bus, a group or a branch is called. */
export function nameOfHome(recipe: Recipe, home: Home): string {
  const lane = [...recipe.buses, ...recipe.groups].find(({ id }) => id === home);
  const branch = lane ?? splitOf(recipe, home)?.params.branches.find(({ id }) => id === home);
  return branch?.name ? branch.name : home;
}

export function stageOf(recipe: Recipe, id: string | null): Stage | undefined {
  return walk(recipe).find((stage) => stage.id === id);
}

/** The split that a branch belongs to. */
export function splitOf(recipe: Recipe, branch: string): Extract<Stage, { kind: "split" }> | undefined {
  const found = walk(recipe).find((stage) => branchesOf(stage).some(({ id }) => id === branch));
  return found?.kind === "split" ? found : undefined;
}

/** How many splits a chain is inside of. */
export function depthOf(recipe: Recipe, home: Home): number {
  const split = splitOf(recipe, home);
  return split ? 1 + depthOf(recipe, homeOf(recipe, split.id)!) : 0;
}

/** How many splits stand inside one another in a stage, itself among them. */
export function heightOf(stage: Stage): number {
  const inside = branchesOf(stage).flatMap(({ chain }) => chain.map(heightOf));
  return stage.kind === "split" ? 1 + Math.max(0, ...inside) : 0;
}

/** Changes a chain; `home` is whose it is. */
type Change = (chain: Stage[], home: Home) => Stage[];

/** A recipe with every chain changed, the innermost first. */
export function mapChains(recipe: Recipe, change: Change): Recipe {
  const owned = (bus: Bus): Bus => ({ ...bus, chain: mapChain(bus.chain, bus.id, change) });
  return {
    ...recipe,
    buses: recipe.buses.map(owned),
    groups: recipe.groups.map(owned),
    master: mapChain(recipe.master, MASTER, change),
  };
}

function mapChain(chain: Stage[], home: Home, change: Change): Stage[] {
  const inside = (branch: Branch): Branch => ({
    ...branch,
    chain: mapChain(branch.chain, branch.id, change),
  });
  return change(
    chain.map((stage) =>
      stage.kind === "split"
        ? { ...stage, params: { ...stage.params, branches: stage.params.branches.map(inside) } }
        : stage,
    ),
    home,
  );
}

/** The ids that are taken by anything in a recipe: they share one namespace. */
export function idsOf(recipe: Recipe): Set<string> {
  return new Set([
    ...walk(recipe).map(({ id }) => id),
    ...allBranches(recipe).map(({ id }) => id),
    ...[...recipe.buses, ...recipe.groups, ...recipe.sections].map(({ id }) => id),
  ]);
}
