/** Tempo and bars: as they were tapped, or as the survey found them. */
import type { Grid } from "../api/types";
import { useBench } from "../state/store";

export function useGrid(): Grid | null {
  return useBench((s) => s.grid ?? s.foundGrid);
}

export function barSeconds({ bpm, bar }: Grid): number {
  return (60 / bpm) * bar;
}
