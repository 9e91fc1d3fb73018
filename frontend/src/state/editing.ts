/** Edits of a recipe as pure functions: a recipe in, another out. */
import type { Bus, Kind, KindInfo, Param, Recipe, Stage, Value } from "../api/types";
import { freshIds } from "../tree/newIds";
import { placeOf, putStages, removeStages, withStage } from "../tree/moveStages";
import type { Place } from "../tree/moveStages";
import {
  allBranches,
  chainAround,
  chainIn,
  homeOf,
  mapChains,
  MASTER,
  splitOf,
  stageOf,
  walkChain,
} from "../tree/tree";
import { formatValue } from "../ui/format";

/** Whose chain is open: a bus or group by its id, or the master. */
export type Lane = string;

export function busOf(recipe: Recipe, lane: Lane): Bus | undefined {
  return [...recipe.buses, ...recipe.groups].find((bus) => bus.id === lane);
}

export function chainOf(recipe: Recipe, lane: Lane): Stage[] {
  return busOf(recipe, lane)?.chain ?? recipe.master;
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

/** Put a stage of another recipe in its place here; where its branch is not there, the split that holds it. */
export function takeStage(recipe: Recipe, from: Recipe, id: string): Recipe {
  const stage = stageOf(from, id);
  if (!stage) return removeStages(recipe, [id]);
  if (stageOf(recipe, id)) return withStage(recipe, id, () => stage);
  const home = homeOf(from, id)!;
  const split = splitOf(from, home);
  if (split && !allBranches(recipe).some((branch) => branch.id === home))
    return takeStage(recipe, from, split.id);
  return putStages(recipe, [stage], { home, at: chainAround(from, id).indexOf(stage) });
}

/** Where a new stage goes: below the chosen one, also in a branch; else at the end, before a limiter there. */
export function newPlace(recipe: Recipe, lane: Lane, selected: string | null, kind: Kind): Place {
  const chosen =
    selected === null || laneOf(recipe, selected) !== lane ? undefined : placeOf(recipe, selected);
  const limits = (stage: Stage | undefined) => stage?.kind === "limiter" && kind !== "limiter";
  const { home, at } = chosen
    ? { home: chosen.home, at: chosen.at + 1 }
    : { home: busOf(recipe, lane) ? lane : MASTER, at: chainOf(recipe, lane).length };
  const chain = chainIn(recipe, home);
  return { home, at: at === chain.length && limits(chain[at - 1]) ? at - 1 : at };
}

/** A stage with its defaults. */
export function newStage(recipe: Recipe, info: KindInfo): Stage {
  const id = freshIds(recipe)(info.kind);
  const params = Object.fromEntries(info.params.map((param) => [param.name, param.default ?? null]));
  // a filter that filters nothing would leave a newcomer wondering
  if (info.kind === "filter") params.high_pass_on = true;
  for (const param of info.params) if (LISTS.has(param.name)) params[param.name] = param.default ?? [];
  return { id, kind: info.kind, on: true, channels: "stereo", mix: info.mix, params } as unknown as Stage;
}

const LISTS = new Set(["detector_filters", "bands"]);

/** What a changed parameter is called in the list of edits. */
export function paramLabel(title: string, param: Param, value: Value): string {
  if (typeof value === "number" && param.type === "number")
    return `${title}: ${param.label} ${formatValue(param, value)}`;
  if (typeof value === "boolean") return `${title}: ${param.label} ${value ? "on" : "off"}`;
  return `${title}: ${param.label}${typeof value === "string" || typeof value === "number" ? ` ${value}` : ""}`;
}
