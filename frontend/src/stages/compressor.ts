/** What the parts of the compressor's editor share. */
import { create } from "zustand";
import type { Stage } from "../api/types";
import type { setParams } from "../state/editing";

export type CompressorStage = Extract<Stage, { kind: "compressor" }>;

export interface CompressorProps {
  stage: CompressorStage;
  change: (values: Parameters<typeof setParams>[2], label: string) => void;
}

/** What the left picture shows: the static curve, or what the detector listens through. */
export const useCompressorPicture = create<{ shows: "curve" | "detector" }>(() => ({ shows: "curve" }));
