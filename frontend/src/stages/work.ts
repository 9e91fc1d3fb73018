/** What a stage takes off over a song, in a few words. */
import { formatDb } from "../ui/format";

const IDLE_DB = 0.1;

/** `mostly 1.0–2.1 dB, 3.4 at most`: the middle half of the time it works, and the strongest. */
export function workInWords(effort: readonly number[]): string {
  const working = effort.filter((db) => db < -IDLE_DB).map((db) => -db);
  if (!working.length) return "takes nothing off";
  const sorted = [...working].sort((a, b) => a - b);
  const at = (share: number) => sorted[Math.min(sorted.length - 1, Math.floor(share * sorted.length))]!;
  const share = Math.round((100 * working.length) / effort.length);
  const often = share < 95 ? `, ${share} % of the time` : "";
  return `mostly ${formatDb(at(0.25), false, "")}–${formatDb(at(0.75))}${often}, ${formatDb(sorted.at(-1), false, "")} at most`;
}
