import { useEffect } from "react";
import { setParams } from "../bench/editing";
import { pretend } from "../bench/edits";
import { useBench } from "../bench/store";
import type { CompressorStage } from "./compressor";

const EXTRA_DB = 12;
const EXTRA_RATIO = 4;

/** While X is held the compressor works far too hard, to hear attack and release; then it is exactly as it was. */
export function useExaggeration(stage: CompressorStage): void {
  useEffect(() => {
    const down = (event: KeyboardEvent) => {
      if (event.key !== "x" || event.repeat || event.ctrlKey || event.metaKey) return;
      if (event.target instanceof HTMLInputElement) return;
      const { recipe } = useBench.getState();
      const { threshold_db: threshold, ratio } = stage.params;
      const far = {
        threshold_db: Math.max(-60, threshold - EXTRA_DB),
        ratio: Math.min(100, ratio * EXTRA_RATIO),
      };
      if (recipe) pretend(setParams(recipe, stage.id, far));
      useBench.setState({ said: "Exaggerated while X is held: listen to how it takes hold and lets go." });
    };
    const up = (event: KeyboardEvent) => {
      if (event.key !== "x") return;
      pretend(null);
      useBench.setState({ said: null });
    };
    window.addEventListener("keydown", down);
    window.addEventListener("keyup", up);
    return () => {
      window.removeEventListener("keydown", down);
      window.removeEventListener("keyup", up);
    };
  }, [stage]);
}
