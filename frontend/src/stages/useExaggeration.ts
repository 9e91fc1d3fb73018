import { useEffect } from "react";
import type { Recipe } from "../api/types";
import { setParams } from "../state/editing";
import { stageOf } from "../tree/tree";
import { pretend } from "../state/edits";
import { useBench } from "../state/store";

const EXTRA_DB = 12;
const EXTRA_RATIO = 4;

/** A compressor that works far too hard: lower by 12 dB, four times the ratio. */
export function exaggerated(recipe: Recipe, id: string): Recipe {
  const stage = stageOf(recipe, id);
  if (stage?.kind !== "compressor") return recipe;
  const { threshold_db: threshold, ratio } = stage.params;
  return setParams(recipe, id, {
    threshold_db: Math.max(-60, threshold - EXTRA_DB),
    ratio: Math.min(100, ratio * EXTRA_RATIO),
  });
}

/** While X is held the compressor is exaggerated, whatever is moved meanwhile; then all is as it stands. */
export function useExaggeration(id: string): void {
  useEffect(() => {
    let held = false;
    const down = (event: KeyboardEvent) => {
      if (event.key.toLowerCase() !== "x" || event.repeat || event.ctrlKey || event.metaKey) return;
      if (event.target instanceof HTMLInputElement || !useBench.getState().letters) return;
      held = true;
      pretend((recipe) => exaggerated(recipe, id));
      useBench.setState({ said: "Exaggerated while X is held: listen to how it takes hold and lets go." });
    };
    const back = () => {
      if (!held) return;
      held = false;
      pretend(null);
      useBench.setState({ said: null });
    };
    const up = (event: KeyboardEvent) => {
      if (event.key.toLowerCase() === "x") back();
    };
    window.addEventListener("keydown", down);
    window.addEventListener("keyup", up);
    // a key that is let go over another window is never told
    window.addEventListener("blur", back);
    return () => {
      back();
      window.removeEventListener("keydown", down);
      window.removeEventListener("keyup", up);
      window.removeEventListener("blur", back);
    };
  }, [id]);
}
