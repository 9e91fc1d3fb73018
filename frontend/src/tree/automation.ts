/** How values move: what of it still has something to move. */
import type { Branch, Bus, Recipe, ParameterAutomation, Stage } from "../api/types";
import { allBranches, walk } from "./tree";

/** The recipe without rides of what is not there any more; the recipe itself where all of them are. */
export function withoutLostRides(recipe: Recipe): Recipe {
  if (!recipe.automation.length) return recipe;
  const owners = [...recipe.buses, ...recipe.groups, ...allBranches(recipe), ...walk(recipe)];
  const named = new Map<string, Bus | Branch | Stage>(owners.map((owner) => [owner.id, owner]));
  const left = recipe.automation.filter((ride) => isThere(named.get(ride.target), ride));
  return left.length === recipe.automation.length ? recipe : { ...recipe, automation: left };
}

/** Lists are named by place or id: `bands.b1.gain_db`, `crossovers_hz.0`. */
function isThere(owner: Bus | Branch | Stage | undefined, { param }: ParameterAutomation): boolean {
  if (!owner) return false;
  const [name, one] = param.replace(/^params\./, "").split(".");
  const list =
    "params" in owner ? (owner.params as unknown as Record<string, unknown>)[name ?? ""] : undefined;
  if (one === undefined || !Array.isArray(list)) return true;
  return list.some((item: unknown, i) => String((item as { id?: string } | null)?.id ?? i) === one);
}
