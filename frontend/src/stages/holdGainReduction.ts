/** Work held constant: while attack, ratio or knee move, the threshold follows. Python finds the threshold. */
import { create } from "zustand";
import { api } from "../api/client";
import type { Recipe, Stage } from "../api/types";
import { setParam } from "../state/editing";
import { stageOf } from "../tree/tree";
import { edit } from "../state/edits";
import { session } from "../state/session";
import { useBench } from "../state/store";

export const useKeepWork = create<{ on: boolean }>(() => ({ on: false }));
const AFFECTS = new Set([
  "attack_ms",
  "release_ms",
  "ratio",
  "knee_db",
  "release_mode",
  "detector",
  "rms_ms",
]);

export function holdGainReduction(on: boolean): void {
  useKeepWork.setState({ on });
  newReference();
}

/** A control of a compressor moved: ask for the threshold that keeps the average reduction of before. */
export function followWork(stage: Stage, param: string, before: Recipe): void {
  if (!useKeepWork.getState().on || stage.kind !== "compressor" || !AFFECTS.has(param)) return;
  const { work } = session();
  if (work.reference?.stage !== stage.id) work.reference = { stage: stage.id, recipe: before };
  void follow(stage.id);
}

/** The threshold was moved by hand: from here on that is the work to keep. */
export function newReference(): void {
  session().work.reference = null;
}

/** Asked at every turn: a hand on the threshold may have changed it meanwhile. */
function workToKeep(): Recipe | undefined {
  return session().work.reference?.recipe;
}

async function follow(id: string): Promise<void> {
  const mine = session();
  if (mine.work.asking) return;
  mine.work.asking = true;
  try {
    for (let asked: Recipe | null = null; asked !== useBench.getState().recipe;) {
      const { song, recipe, loop } = useBench.getState();
      asked = recipe;
      const from = workToKeep();
      if (!song || !recipe || !from) return;
      const { threshold_db } = await api.sameWork(song.id, id, from, recipe, loop ?? [0, song.frames]);
      if (mine !== session()) return;
      const now = useBench.getState().recipe;
      if (now && stageOf(now, id)) {
        const followed = setParam(now, id, "threshold_db", threshold_db);
        if (now === asked) asked = followed;
        edit(followed, "Bus compressor: threshold follows");
      }
    }
  } catch {
    // what was asked for is not to be had now; the threshold stays where it is
  } finally {
    mine.work.asking = false;
  }
}
