/** How the value at a path is declared, and what it is at rest. */
import type { Param, Recipe, Stages } from "../api/types";
import { allBranches, stageOf } from "./tree";

interface Found {
  param: Param;
  /** what it belongs to in words: a stage and where in it, a bus, a branch */
  title: string;
  value: number | boolean | string;
}

/** A value by the id of what it belongs to and its path; null where there is none that could move. */
export function declaredAt(stages: Stages, recipe: Recipe, target: string, path: string): Found | null {
  const steps = path.replace(/^params\./, "").split(".");
  const [name, part, inner] = steps as [string, string?, string?];
  const found = (params: Param[], of: object, field: string, title: string): Found | null => {
    const param = params.find((one) => one.name === field);
    const value = (of as Record<string, unknown>)[field];
    const simple = typeof value === "number" || typeof value === "boolean" || typeof value === "string";
    return param && simple && !param.delays ? { param, title, value } : null;
  };
  const stage = stageOf(recipe, target);
  if (!stage) {
    const bus = [...recipe.buses, ...recipe.groups].find(({ id }) => id === target);
    const branch = allBranches(recipe).find(({ id }) => id === target);
    if (bus) return found(stages.shared.bus, bus, name, bus.name || bus.id);
    return branch ? found(stages.shared.branch, branch, name, branch.name || branch.id) : null;
  }
  const info = stages.kinds.find(({ kind }) => kind === stage.kind);
  if (!info) return null;
  if (part === undefined)
    return (
      found(stages.shared.stage, stage, name, info.title) ??
      found(info.params, stage.params, name, info.title)
    );
  const list = (stage.params as unknown as Record<string, unknown>)[name];
  if (!Array.isArray(list)) return null;
  if (inner === undefined) {
    const param = info.params.find((one) => one.name === name);
    const value: unknown = list[Number(part)];
    return param && !param.delays && typeof value === "number"
      ? { param, value, title: `${info.title} ${Number(part) + 1}` }
      : null;
  }
  const at = list.findIndex((one: { id?: string }, i) => (one.id ?? String(i)) === part);
  const items = info.items[name];
  if (at < 0 || !items) return null;
  return found(items.params, list[at] as object, inner, `${info.title} ${at + 1}`);
}
