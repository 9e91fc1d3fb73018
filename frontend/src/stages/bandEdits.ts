/** An edit of an equalizer's bands. */
import type { Band, Stage } from "../api/types";
import { setParam } from "../state/editing";
import { edit } from "../state/edits";
import { useBench } from "../state/store";

export type EqualizerStage = Extract<Stage, { kind: "equalizer" }>;

export function changeBands(stage: EqualizerStage, bands: Band[], label: string, resting = false): void {
  const { recipe } = useBench.getState();
  if (recipe) edit(setParam(recipe, stage.id, "bands", bands), `Equalizer: ${label}`, resting);
}
