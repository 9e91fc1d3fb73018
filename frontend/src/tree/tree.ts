/** How chains nest: the only place that knows. Recipes go in and come out; nothing is changed in place. */
import type { Branch, Bus, Recipe, Stage } from "../api/types";

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

/** The branch that a stage stands in, the innermost; none in a bus's or the master's own chain. */
export function branchOf(recipe: Recipe, stage: string): Branch | undefined {
  return allBranches(recipe).find((branch) => branch.chain.some(({ id }) => id === stage));
}

/** The chain that a stage stands in, at any depth. */
export function chainAround(recipe: Recipe, stage: string): Stage[] {
  const chains = [...recipe.buses, ...recipe.groups, ...allBranches(recipe)].map(({ chain }) => chain);
  return [...chains, recipe.master].find((chain) => chain.some(({ id }) => id === stage)) ?? [];
}

/** Changes a chain; `home` is the bus, group or branch that it belongs to, null for the master. */
type Change = (chain: Stage[], home: string | null) => Stage[];

/** A recipe with every chain changed, the innermost first. */
export function mapChains(recipe: Recipe, change: Change): Recipe {
  const owned = (bus: Bus): Bus => ({ ...bus, chain: mapChain(bus.chain, bus.id, change) });
  return {
    ...recipe,
    buses: recipe.buses.map(owned),
    groups: recipe.groups.map(owned),
    master: mapChain(recipe.master, null, change),
  };
}

function mapChain(chain: Stage[], home: string | null, change: Change): Stage[] {
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
