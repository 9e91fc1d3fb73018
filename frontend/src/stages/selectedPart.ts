/** The parts that a stage holds, such as bands: chosen, changed one or all alike, each with its readings. */
import type { Item, Param, Recipe, Stage, Value } from "../api/types";
import { paramLabel, setParam } from "../state/editing";
import { edit } from "../state/edits";
import { kindInfo, useBench } from "../state/store";
import { stageOf } from "../tree/tree";
import { partEdits } from "./partEdits";

export type Parted = Extract<Stage, { kind: "band_dynamics" | "dynamic_equalizer" }>;

/** The series that a part reads: its own level, and what it does. */
export function readsOf(id: string) {
  return { input: "input_db", heard: `level_${id}`, effort: `effort_${id}` };
}

/** Keep a stage's parts. */
export function changeParts(stage: Parted, parts: readonly Item[], label: string, resting = false): void {
  const { recipe } = useBench.getState();
  if (recipe)
    edit(
      setParam(recipe, stage.id, "bands", parts as Item[]),
      `${kindInfo(stage.kind)?.title ?? ""}: ${label}`,
      resting,
    );
}

/** Change a parameter of one part, of all alike while Alt is held. */
export function changePart(stage: Parted, id: string, param: Param, value: Value, resting: boolean): void {
  const { recipe } = useBench.getState();
  if (!recipe) return;
  const now = partsNow(recipe, stage);
  const parts = partEdits<Item>(now, id, param, value, altHeld && !resting);
  changeParts(stage, parts, paramLabel(name(now, id), param, value), resting);
}

/** The parts as they are now: two moves of a hand come before the page is drawn again. */
export function partsNow<Kept extends Parted>(recipe: Recipe, stage: Kept): Kept["params"]["bands"] {
  const found = stageOf(recipe, stage.id);
  return found?.kind === stage.kind ? (found as Kept).params.bands : stage.params.bands;
}

function name(parts: readonly Item[], id: string): string {
  return String(parts.findIndex((part) => part.id === id) + 1);
}

let altHeld = false;
for (const kind of ["keydown", "keyup", "pointermove", "pointerdown"] as const)
  window.addEventListener(kind, (event) => (altHeld = event.altKey), true);
window.addEventListener("blur", () => (altHeld = false));
