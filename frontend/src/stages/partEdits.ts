/** Edits of the parts that a stage holds: pure. */
import type { Item, Param, Value } from "../api/types";

/** Parts with one changed; with `all`, a number of every other one is moved by as much, within its range. */
export function partEdits<Part extends Item>(
  parts: readonly Part[],
  id: string,
  param: Param,
  value: Value,
  all: boolean,
): Part[] {
  const at = (part: Part) => (part as unknown as Record<string, Value>)[param.name];
  const before = parts.find((part) => part.id === id);
  const from = before && at(before);
  return parts.map((part) => {
    if (part.id === id) return { ...part, [param.name]: value };
    const own = at(part);
    if (!all || typeof value !== "number" || typeof from !== "number" || typeof own !== "number") return part;
    const moved = param.scale === "log" ? own * (value / from) : own + (value - from);
    const held = Math.max(param.low ?? -Infinity, Math.min(param.high ?? Infinity, moved));
    return { ...part, [param.name]: Number(held.toPrecision(6)) };
  });
}
