/** Ids for what is new, and copies that share none with what is there. */
import type { Branch, Recipe, ParameterAutomation, Stage } from "../api/types";
import { branchesOf, idsOf, walkChain } from "./tree";

/** Gives out ids of a recipe, each once. */
export function freshIds(recipe: Recipe): (kind: string) => string {
  const taken = idsOf(recipe);
  return (kind) => {
    for (let number = 1; ; number++) {
      const id = `${kind}-${number}`;
      if (taken.has(id)) continue;
      taken.add(id);
      return id;
    }
  };
}

export interface Copied {
  stages: Stage[];
  /** how what was copied moves over the song */
  automation: ParameterAutomation[];
}

/** Copies of stages with all that is in them, under ids that are free in a recipe. */
export function copied(
  stages: Stage[],
  automation: ParameterAutomation[],
  fresh: (kind: string) => string,
): Copied {
  const named = new Map<string, string>();
  for (const { stage } of walkChain(stages)) {
    named.set(stage.id, fresh(stage.kind));
    for (const { id } of branchesOf(stage)) named.set(id, fresh("branch"));
  }
  const rides = automation.filter(({ target }) => named.has(target));
  return {
    stages: stages.map((stage) => renamed(stage, named)),
    automation: rides.map((ride) => ({ ...ride, target: named.get(ride.target)! })),
  };
}

function renamed(stage: Stage, named: Map<string, string>): Stage {
  const id = named.get(stage.id)!;
  if (stage.kind !== "split") return { ...stage, id };
  const branches = stage.params.branches.map((branch): Branch => ({
    ...branch,
    id: named.get(branch.id)!,
    chain: branch.chain.map((inner) => renamed(inner, named)),
  }));
  return { ...stage, id, params: { ...stage.params, branches } };
}
