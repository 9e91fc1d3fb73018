/** Edits of a recipe as pure functions: a recipe in, another out. */
import type { Bus, Kind, KindInfo, Param, Recipe, Stage, Value } from "../api/types";
import {
  allBranches,
  branchOf,
  branchesOf,
  chainAround,
  idsOf,
  mapChains,
  walk,
  walkChain,
} from "../tree/tree";
import { formatValue } from "../ui/format";

/** Whose chain: a bus or group by its id, or the master. */
export type Lane = string;
export const MASTER: Lane = "*master";

export function busOf(recipe: Recipe, lane: Lane): Bus | undefined {
  return [...recipe.buses, ...recipe.groups].find((bus) => bus.id === lane);
}

export function chainOf(recipe: Recipe, lane: Lane): Stage[] {
  return busOf(recipe, lane)?.chain ?? recipe.master;
}

function withChain(recipe: Recipe, lane: Lane, change: (chain: Stage[]) => Stage[]): Recipe {
  if (lane === MASTER) return { ...recipe, master: change(recipe.master) };
  return setBus(recipe, lane, { chain: change(chainOf(recipe, lane)) });
}

export function setBus(recipe: Recipe, id: string, fields: Partial<Bus>): Recipe {
  const change = (bus: Bus) => (bus.id === id ? { ...bus, ...fields } : bus);
  return { ...recipe, buses: recipe.buses.map(change), groups: recipe.groups.map(change) };
}

/** The recipe without a group: what fed it feeds what it fed, and nothing listens to it any more. */
export function dissolve(recipe: Recipe, id: string): Recipe {
  const group = busOf(recipe, id)?.group ?? null;
  const deaf = (stage: Stage): Stage => {
    if (stage.kind !== "compressor" || !stage.params.key?.includes(id)) return stage;
    const key = stage.params.key.filter((one) => one !== id);
    return { ...stage, params: { ...stage.params, key: key.length ? key : null } };
  };
  const out = (bus: Bus): Bus => ({ ...bus, group: bus.group === id ? group : bus.group });
  const rest = mapChains(recipe, (chain) => chain.map(deaf));
  return {
    ...rest,
    buses: rest.buses.map(out),
    groups: rest.groups.filter((bus) => bus.id !== id).map(out),
    automation: rest.automation.filter(({ target }) => target !== id),
  };
}

/** The lane whose chain holds a stage, at any depth. */
export function laneOf(recipe: Recipe, id: string | null): Lane {
  const found = [...recipe.buses, ...recipe.groups].find((bus) =>
    walkChain(bus.chain).some(({ stage }) => stage.id === id),
  );
  return found?.id ?? MASTER;
}

export function stageOf(recipe: Recipe, id: string | null): Stage | undefined {
  return walk(recipe).find((stage) => stage.id === id);
}

export function withStage(recipe: Recipe, id: string, change: (stage: Stage) => Stage): Recipe {
  return mapChains(recipe, (chain) => chain.map((stage) => (stage.id === id ? change(stage) : stage)));
}

export function setParam(recipe: Recipe, id: string, name: string, value: Value): Recipe {
  return setParams(recipe, id, { [name]: value });
}

export function setParams(recipe: Recipe, id: string, values: Record<string, Value>): Recipe {
  return withStage(recipe, id, (stage) => ({ ...stage, params: { ...stage.params, ...values } }) as Stage);
}

export function setField(
  recipe: Recipe,
  id: string,
  fields: Partial<Pick<Stage, "on" | "channels" | "mix">>,
): Recipe {
  return withStage(recipe, id, (stage) => ({ ...stage, ...fields }) as Stage);
}

export function removeStage(recipe: Recipe, id: string): Recipe {
  return mapChains(recipe, (chain) => chain.filter((stage) => stage.id !== id));
}

/** Put a stage at another place of the chain that it stands in. */
export function moveStage(recipe: Recipe, id: string, to: number): Recipe {
  const moved = stageOf(recipe, id);
  if (!moved) return recipe;
  return mapChains(recipe, (chain) => {
    const rest = chain.filter((stage) => stage.id !== id);
    return rest.length < chain.length ? [...rest.slice(0, to), moved, ...rest.slice(to)] : chain;
  });
}

/** Put a stage of another recipe in its place here; where its branch is not there, the split that holds it. */
export function takeStage(recipe: Recipe, from: Recipe, id: string): Recipe {
  const stage = stageOf(from, id);
  if (!stage) return removeStage(recipe, id);
  if (stageOf(recipe, id)) return withStage(recipe, id, () => stage);
  const branch = branchOf(from, id);
  if (branch && !allBranches(recipe).some((one) => one.id === branch.id)) {
    const split = walk(from).find((one) => branchesOf(one).includes(branch))!;
    return takeStage(recipe, from, split.id);
  }
  const lane = laneOf(from, id);
  const home = branch?.id ?? (lane === MASTER ? null : lane);
  const at = chainAround(from, id).indexOf(stage);
  return mapChains(recipe, (chain, of) =>
    of === home ? [...chain.slice(0, at), stage, ...chain.slice(at)] : chain,
  );
}

export function freshId(recipe: Recipe, kind: string): string {
  const taken = idsOf(recipe);
  for (let number = 1; ; number++) if (!taken.has(`${kind}-${number}`)) return `${kind}-${number}`;
}

/** A new stage with its defaults: before a limiter that ends the chain, else at the end. */
export function addStage(recipe: Recipe, lane: Lane, info: KindInfo): { recipe: Recipe; id: string } {
  const id = freshId(recipe, info.kind);
  const params = Object.fromEntries(info.params.map((param) => [param.name, param.default ?? null]));
  // a filter that filters nothing would leave a newcomer wondering
  if (info.kind === "filter") params.high_pass_on = true;
  for (const param of info.params) if (LISTS.has(param.name)) params[param.name] = [];
  const stage = { id, kind: info.kind, on: true, channels: "stereo", mix: 1, params } as unknown as Stage;
  const added = withChain(recipe, lane, (chain) => {
    const last = chain.at(-1)?.kind === ("limiter" satisfies Kind) && info.kind !== "limiter";
    const at = last ? chain.length - 1 : chain.length;
    return [...chain.slice(0, at), stage, ...chain.slice(at)];
  });
  return { recipe: added, id };
}

const LISTS = new Set(["detector_filters", "bands"]);

/** What a changed parameter is called in the list of edits. */
export function paramLabel(title: string, param: Param, value: Value): string {
  if (typeof value === "number" && param.type === "number")
    return `${title}: ${param.label} ${formatValue(param, value)}`;
  if (typeof value === "boolean") return `${title}: ${param.label} ${value ? "on" : "off"}`;
  return `${title}: ${param.label}${typeof value === "string" || typeof value === "number" ? ` ${value}` : ""}`;
}
