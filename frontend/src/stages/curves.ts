/** Curves of stages that move: what the gains of their parts make of the spectrum, pure. */

const FACTOR = 20 / Math.LN10;

/** Level of bands that lie in phase, each with a gain, at every point: their amplitudes add. */
export function bandsTotal(bands_db: readonly number[][], gains_db: readonly number[]): number[] {
  return (bands_db[0] ?? []).map((_, at) => {
    let sum = 0;
    bands_db.forEach((band, i) => {
      sum += Math.exp(((band[at] ?? -120) + (gains_db[i] ?? 0)) / FACTOR);
    });
    return FACTOR * Math.log(Math.max(sum, 1e-6));
  });
}

/** A pin's curve between its rest and as far as it reaches. */
export function movedCurve(
  rest_db: readonly number[],
  reach_db: readonly number[],
  range_db: number,
  move_db: number,
): number[] {
  const share = range_db === 0 ? 0 : Math.max(0, Math.min(1, move_db / range_db));
  return rest_db.map((db, at) => db + share * ((reach_db[at] ?? db) - db));
}

/** Curves one over the other. */
export function summed(curves: readonly (readonly number[])[], points: number): number[] {
  return Array.from({ length: points }, (_, at) => curves.reduce((sum, curve) => sum + (curve[at] ?? 0), 0));
}

/** The farthest of late: it stays for a moment, then comes back. */
export class Farthest {
  private value = 0;
  private since = 0;

  take(move_db: number, now_s: number, hold_s = 1.2, fall_db_s = 9): number {
    if (Math.abs(move_db) >= Math.abs(this.value)) {
      this.value = move_db;
      this.since = now_s;
    } else if (now_s - this.since > hold_s) {
      const fallen = Math.max(0, Math.abs(this.value) - fall_db_s / 30);
      this.value = Math.sign(this.value) * Math.max(fallen, Math.abs(move_db));
    }
    return this.value;
  }
}
