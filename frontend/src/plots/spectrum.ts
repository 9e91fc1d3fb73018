/** The points of the live spectrum, and what is read from it. */
import { SPECTRUM } from "../live/protocol";
import type { Row, Spectrum } from "../live/protocol";

const STEP = (SPECTRUM.high / SPECTRUM.low) ** (1 / (SPECTRUM.points - 1));

export const SPECTRUM_HZ = Array.from({ length: SPECTRUM.points }, (_, i) => SPECTRUM.low * STEP ** i);

export function indexOf(hz: number): number {
  const at = Math.round(Math.log(hz / SPECTRUM.low) / Math.log(STEP));
  return Math.max(0, Math.min(SPECTRUM.points - 1, at));
}

/** Energy of mid and side together between two frequencies, dB. */
export function energyDb(spectrum: Spectrum, low: number, high: number): number {
  let sum = 1e-14;
  for (let i = indexOf(low); i <= indexOf(high); i++)
    for (const row of spectrum) sum += 10 ** ((row[i] ?? -140) / 10);
  return 10 * Math.log10(sum);
}

/** Ballistics of a picture: up quickly, down slowly; `averaging` from 0 (none) to 1 (still). */
export function calmed(before: Row | undefined, fresh: Row, averaging: number): Row {
  if (!before) return fresh.slice();
  const fall = 0.5 + 0.49 * averaging;
  const rise = 0.98 * averaging;
  return fresh.map((db, i) => {
    const old = before[i] ?? db;
    return db + (db > old ? rise : Math.max(rise, fall)) * (old - db);
  });
}

const NOTES = ["C", "C♯", "D", "D♯", "E", "F", "F♯", "G", "G♯", "A", "A♯", "B"];

/** The note nearest to a frequency, A4 = 440 Hz. */
export function noteName(hz: number): string {
  const midi = Math.round(69 + 12 * Math.log2(hz / 440));
  return `${NOTES[((midi % 12) + 12) % 12]!}${Math.floor(midi / 12) - 1}`;
}
