/** What the parts of the compressor's editor share. */
import { create } from "zustand";
import type { Recipe, Stage } from "../api/types";
import type { setParams } from "../state/editing";
import { stageOf } from "../tree/tree";

export type CompressorStage = Extract<Stage, { kind: "compressor" }>;

export interface CompressorProps {
  id: string;
  change: (values: Parameters<typeof setParams>[2], label: string) => void;
}

/** The compressor of that id; undefined where there is none. */
export function compressorOf(recipe: Recipe | null, id: string): CompressorStage | undefined {
  const stage = recipe ? stageOf(recipe, id) : undefined;
  return stage?.kind === "compressor" ? stage : undefined;
}

/** What the left picture shows: the static curve, or what the detector listens through. */
export const useCompressorPicture = create<{ shows: "curve" | "detector" }>(() => ({ shows: "curve" }));
