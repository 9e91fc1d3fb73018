/** Durations as note values, where the song keeps a tempo: a hint beside the milliseconds. */
import type { Grid } from "../api/types";

const KINDS = [
  { share: 1, says: "" },
  { share: 1.5, says: " dotted" },
  { share: 2 / 3, says: " triplet" },
];
const SHORTEST = 64;
/** So near a duration is called by its note. */
const NEAR = 0.04;

/** The note that lasts as long, or nearly: `1/16`, `1/8 dotted`; nothing where none does. */
export function noteValue(ms: number, { bpm }: Pick<Grid, "bpm">): string {
  const whole = (4 * 60000) / bpm;
  let [best, nearest] = ["", NEAR];
  for (let part = 1; part <= SHORTEST; part *= 2)
    for (const { share, says } of KINDS) {
      const away = Math.abs(Math.log(ms / ((whole * share) / part)));
      // of two that are as near the plain one is meant
      if (away < nearest - 1e-9) [best, nearest] = [`1/${part}${says}`, away];
    }
  return best;
}
