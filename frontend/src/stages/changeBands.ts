/** An edit of an equalizer's bands. */
import type { Band, Stage } from "../api/types";
import { setParam } from "../bench/editing";
import { edit } from "../bench/edits";
import { useBench } from "../bench/store";

export type EqualizerStage = Extract<Stage, { kind: "equalizer" }>;

export function changeBands(stage: EqualizerStage, bands: Band[], label: string, resting = false): void {
  const { recipe } = useBench.getState();
  if (recipe) edit(setParam(recipe, stage.id, "bands", bands), `Equalizer: ${label}`, resting);
}
