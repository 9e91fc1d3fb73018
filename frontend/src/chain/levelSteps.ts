import type { LadderStep } from "../api/trialTypes";
import { formatDb } from "../ui/format";

const LOWEST_DB = -36;
const HIGHEST_DB = 6;

/** Where a level lies along a bar of the ladder, 0 … 1; silence at its foot. */
export function alongLadder(level: number | null): number {
  if (level === null) return 0;
  return Math.min(1, Math.max(0, (level - LOWEST_DB) / (HIGHEST_DB - LOWEST_DB)));
}

/** What a stage did to loudness and peak, in words. */
export function stepWords(steps: readonly LadderStep[], index: number): string {
  const [before, step] = [steps[index - 1], steps[index]!];
  const levels = `${formatDb(step.lufs, false, " LUFS")}, true peak ${formatDb(step.true_peak_dbtp, false, " dBTP")}`;
  if (!before || step.lufs === null || before.lufs === null) return levels;
  const [louder, higher] = [step.lufs - before.lufs, step.true_peak_dbtp - before.true_peak_dbtp];
  return `${levels}: ${formatDb(louder, true, " LU")}, peak ${formatDb(higher, true)} by this stage`;
}
