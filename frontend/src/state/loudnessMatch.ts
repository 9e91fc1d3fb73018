/** Equal loudness: which gains go with the two that are heard side by side. */
import type { Match, Matched } from "../api/types";
import { formatDb } from "../ui/format";

export interface Pair extends Match {
  /** The gains come from what was heard so far, not from surveys of the passage. */
  estimate: boolean;
}

export const UNKNOWN: Matched = { gains_db: {}, integrated_lufs: {} };
export const UNMATCHED: Pair = { other_db: 0, now_db: 0, estimate: true };
/** An estimate that differs by less than this from what is applied is no reason to move a gain. */
const STEP_DB = 0.3;
/** The same while a hand moves what makes louder. */
const MOVING_STEP_DB = 0.1;

/** Whether a name stands for the song as it is now but for one thing. */
export function drawnFromNow(name: string): boolean {
  return /^(without|eased):/.test(name);
}

/** What still holds after an edit. */
export function withoutNow(matched: Matched): Matched {
  const kept = <T>(record: Record<string, T>) =>
    Object.fromEntries(Object.entries(record).filter(([name]) => name !== "now" && !drawnFromNow(name)));
  return { gains_db: kept(matched.gains_db), integrated_lufs: kept(matched.integrated_lufs) };
}

/** The gains of now and another as surveys know them; what they do not know yet stays where it is. */
export function pairOf({ gains_db }: Matched, other: string, before: Pair): Pair {
  const [theirs, ours] = [gains_db[other], gains_db.now];
  return {
    other_db: theirs ?? ours ?? before.other_db,
    now_db: ours ?? before.now_db,
    estimate: theirs === undefined || ours === undefined,
  };
}

/** The pair with a new estimate, where that makes a difference. */
export function estimated(pair: Pair, match: Match, moving = false): Pair {
  const apart = Math.max(Math.abs(match.other_db - pair.other_db), Math.abs(match.now_db - pair.now_db));
  return pair.estimate && apart >= (moving ? MOVING_STEP_DB : STEP_DB) ? { ...match, estimate: true } : pair;
}

/** Who goes down, in words: the one that is heard, where both do. */
export function matchWords(
  { other_db, now_db }: Match,
  hearsNow: boolean,
  otherName: string,
  matched = true,
): string {
  const now = other_db === 0 || (hearsNow && now_db < 0);
  return `${now ? "now" : otherName}${matched ? "" : " would go"} ${formatDb(now ? now_db : other_db, true)}`;
}
