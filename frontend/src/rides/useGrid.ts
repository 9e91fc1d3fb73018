/** Tempo and bars: as they were tapped, or as the survey found them. */
import type { Grid } from "../api/types";
import { useBench } from "../state/store";
import { useSurvey } from "../state/useSurvey";

export function useGrid(): Grid | null {
  const tapped = useBench((s) => s.grid);
  const found = useSurvey()?.grid ?? null;
  return tapped ?? found;
}

export function barSeconds({ bpm, bar }: Grid): number {
  return (60 / bpm) * bar;
}
