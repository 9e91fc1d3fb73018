/** Edits of a recipe as pure functions: a recipe in, another out. */
import type { Kind, KindInfo, Param, Recipe, Stage, Value } from "../api/types";
import { formatValue } from "../ui/format";

export function stageOf(recipe: Recipe, id: string | null): Stage | undefined {
  return recipe.master.find((stage) => stage.id === id);
}

function withStage(recipe: Recipe, id: string, change: (stage: Stage) => Stage): Recipe {
  return { ...recipe, master: recipe.master.map((stage) => (stage.id === id ? change(stage) : stage)) };
}

export function setParam(recipe: Recipe, id: string, name: string, value: Value): Recipe {
  return withStage(
    recipe,
    id,
    (stage) => ({ ...stage, params: { ...stage.params, [name]: value } }) as Stage,
  );
}

export function setField(
  recipe: Recipe,
  id: string,
  fields: Partial<Pick<Stage, "on" | "channels" | "mix">>,
): Recipe {
  return withStage(recipe, id, (stage) => ({ ...stage, ...fields }) as Stage);
}

export function removeStage(recipe: Recipe, id: string): Recipe {
  return { ...recipe, master: recipe.master.filter((stage) => stage.id !== id) };
}

export function moveStage(recipe: Recipe, id: string, to: number): Recipe {
  const rest = recipe.master.filter((stage) => stage.id !== id);
  const moved = stageOf(recipe, id);
  return moved ? { ...recipe, master: [...rest.slice(0, to), moved, ...rest.slice(to)] } : recipe;
}

export function freshId(recipe: Recipe, kind: string): string {
  const taken = new Set([
    ...recipe.master.map((stage) => stage.id),
    ...[...recipe.buses, ...recipe.groups].flatMap((bus) => [bus.id, ...bus.chain.map((stage) => stage.id)]),
    ...recipe.sections.map((section) => section.id),
  ]);
  for (let number = 1; ; number++) if (!taken.has(`${kind}-${number}`)) return `${kind}-${number}`;
}

/** A new stage with its defaults: before a limiter that ends the chain, else at the end. */
export function addStage(recipe: Recipe, info: KindInfo): { recipe: Recipe; id: string } {
  const id = freshId(recipe, info.kind);
  const params = Object.fromEntries(info.params.map((param) => [param.name, param.default ?? null]));
  // a filter that filters nothing would leave a newcomer wondering
  if (info.kind === "filter") params.high_pass_on = true;
  const lists = info.params.filter((param) => param.type === "array");
  for (const param of lists) params[param.name] = [];
  const stage = { id, kind: info.kind, on: true, channels: "stereo", mix: 1, params } as unknown as Stage;
  const last = recipe.master.at(-1);
  const at =
    last?.kind === ("limiter" satisfies Kind) && info.kind !== "limiter"
      ? recipe.master.length - 1
      : recipe.master.length;
  return {
    recipe: { ...recipe, master: [...recipe.master.slice(0, at), stage, ...recipe.master.slice(at)] },
    id,
  };
}

/** What a changed parameter is called in the list of edits. */
export function paramLabel(title: string, param: Param, value: Value): string {
  if (typeof value === "number" && param.type === "number")
    return `${title}: ${param.label} ${formatValue(param, value)}`;
  if (typeof value === "boolean") return `${title}: ${param.label} ${value ? "on" : "off"}`;
  return `${title}: ${param.label}${typeof value === "string" || typeof value === "number" ? ` ${value}` : ""}`;
}
