/** Edits of what a detector listens through; the ear may follow while one of its controls is held. */
import { create } from "zustand";
import type { DetectorFilter } from "../api/types";
import { setParam } from "../state/editing";
import { listen } from "../state/listening";
import { edit } from "../state/edits";
import { rest } from "../state/saving";
import { useBench } from "../state/store";
import { formatHz } from "../ui/format";
import { CARRIED } from "../ui/scale";

/** Whether the ear goes to the detector while one of its controls is held. */
export const useFollow = create<{ follows: boolean; held: boolean }>(() => ({ follows: false, held: false }));

export function changeFilters(stage: string, next: DetectorFilter[], label: string, resting = false): void {
  const { recipe, tap } = useBench.getState();
  if (useFollow.getState().follows && !resting && tap === "result") {
    useFollow.setState({ held: true });
    listen("detector");
  }
  if (recipe) edit(setParam(recipe, stage, "detector_filters", next), `Detector filters: ${label}`, resting);
}

export function moveFilter(
  stage: string,
  filters: DetectorFilter[],
  index: number,
  fields: Partial<DetectorFilter>,
  resting = false,
): void {
  const next = filters.map((filter, i) => (i === index ? { ...filter, ...fields } : filter));
  changeFilters(stage, next, formatHz(next[index]!.hz), resting);
}

/** The hand has let go: keep the edit, and hear the result again where it was left for the hand. */
export function letGo(): void {
  rest();
  if (useFollow.getState().held) listen("result");
  useFollow.setState({ held: false });
}

export function isPass({ kind }: DetectorFilter): boolean {
  return kind === "high_pass" || kind === "low_pass";
}

const held = (value: number, low: number, high: number, digits: number) =>
  Number(Math.max(low, Math.min(high, value)).toPrecision(digits));

export const heldFilterHz = (hz: number, rateHz: number) =>
  held(hz, 20, Math.min(20000, CARRIED * rateHz), 4);
export const heldFilterGain = (db: number) => Math.round(Math.max(-24, Math.min(24, db)) * 10) / 10;
export const heldFilterQ = (q: number) => held(q, 0.1, 40, 3);
