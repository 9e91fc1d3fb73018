/** Which values two recipes differ in, where they differ in nothing else: what a hand moved. */
import type { Branch, Bus, Recipe, Stage, Touch } from "../api/types";

type Simple = number | boolean | string;

class Different extends Error {}

const isSimple = (value: unknown): value is Simple =>
  typeof value === "number" || typeof value === "boolean" || typeof value === "string";

/** The values that were moved, by id and path; null where more than values differs. */
export function touchedBetween(before: Recipe, after: Recipe): Touch[] | null {
  if (before.sections !== after.sections || before.automation !== after.automation) return null;
  const found: Touch[] = [];
  try {
    lanes(before.buses, after.buses, found);
    lanes(before.groups, after.groups, found);
    chains(before.master, after.master, found);
  } catch (different) {
    if (different instanceof Different) return null;
    throw different;
  }
  return found;
}

function lanes(before: (Bus | Branch)[], after: (Bus | Branch)[], found: Touch[]): void {
  if (before === after) return;
  if (before.length !== after.length) throw new Different();
  before.forEach((one, i) => {
    const other = after[i]!;
    if (one === other) return;
    const { chain: was, ...fields } = one;
    const { chain: is, ...changed } = other;
    if (fields.id !== changed.id) throw new Different();
    values(one.id, "", fields, changed, found);
    chains(was, is, found);
  });
}

function chains(before: Stage[], after: Stage[], found: Touch[]): void {
  if (before === after) return;
  if (before.length !== after.length) throw new Different();
  before.forEach((one, i) => {
    const other = after[i]!;
    if (one === other) return;
    if (one.id !== other.id || one.kind !== other.kind) throw new Different();
    const { params: was, ...fields } = one;
    const { params: is, ...changed } = other;
    values(one.id, "", fields, changed, found);
    if (one.kind === "split" && other.kind === "split") {
      const { branches: had, ...plain } = one.params;
      const { branches: has, ...moved } = other.params;
      values(one.id, "", plain, moved, found);
      lanes(had, has, found);
    } else values(one.id, "", was, is, found);
  });
}

/** Names and what a stage hears are no values that a hand moves. */
const FIXED = new Set(["name", "group", "id", "kind"]);

function values(target: string, path: string, before: object, after: object, found: Touch[]): void {
  const [was, is] = [before, after] as Record<string, unknown>[];
  for (const name of Object.keys(is!)) {
    const [a, b] = [was![name], is![name]];
    if (a === b) continue;
    const param = path + name;
    if (isSimple(a) && isSimple(b) && !FIXED.has(name))
      found.push({ target, param, value: b, trim_from: null });
    else if (Array.isArray(a) && Array.isArray(b) && a.length === b.length)
      a.forEach((one: unknown, i) => listed(target, param, i, one, b[i], found));
    else throw new Different();
  }
}

function listed(target: string, path: string, i: number, one: unknown, other: unknown, found: Touch[]): void {
  if (one === other) return;
  if (typeof one === "number" && typeof other === "number")
    found.push({ target, param: `${path}.${i}`, value: other, trim_from: null });
  else if (isPart(one) && isPart(other) && one.id === other.id)
    values(target, `${path}.${one.id ?? i}.`, one, other, found);
  else throw new Different();
}

function isPart(item: unknown): item is { id?: string } {
  return typeof item === "object" && item !== null;
}
