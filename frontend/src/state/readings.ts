/** What every stage read as it was heard, laid out over the song by name, for the pictures over time. */
import type { Series } from "../api/types";
import type { BlockHead, Meters } from "../live/protocol";

export const READING_FRAMES = 256;

type Track = Map<string, Float32Array>;

/** Whether a series tells what is taken off or added; the others are levels. */
export function isEffort(name: string): boolean {
  return name.startsWith("effort");
}

const strongest = (a: number, b: number) => (Math.abs(b) > Math.abs(a) ? b : a);

export class Readings {
  private frames = 0;
  private tracks = new Map<string, Track>();

  reset(frames: number): void {
    this.frames = frames;
    this.forget();
  }

  /** The recipe changed: what was read belongs to another sound. */
  forget(): void {
    this.tracks.clear();
  }

  take(head: BlockHead, meters: Meters): void {
    const at = Math.round(head.song / READING_FRAMES);
    const length = Math.ceil(this.frames / READING_FRAMES) + 8;
    if (at >= length) return;
    for (const [id, reading] of Object.entries(meters.stages)) {
      let track = this.tracks.get(id);
      if (!track) this.tracks.set(id, (track = new Map<string, Float32Array>()));
      for (const [name, values] of Object.entries(reading)) {
        let row = track.get(name);
        if (!row) track.set(name, (row = new Float32Array(length).fill(NaN)));
        row.set(values?.subarray(0, length - at) ?? [], at);
      }
    }
  }

  /** Columns between two song frames; NaN where nothing was heard yet. */
  columns(id: string, from: number, to: number, count: number): Series | null {
    const track = this.tracks.get(id);
    if (!track) return null;
    const width = (to - from) / count / READING_FRAMES;
    const gather = (data: Float32Array, pick: (a: number, b: number) => number) =>
      Array.from({ length: count }, (_, i) => {
        const start = Math.floor(from / READING_FRAMES + i * width);
        const end = Math.max(start + 1, Math.floor(from / READING_FRAMES + (i + 1) * width));
        let found = NaN;
        for (let at = start; at < end; at++) {
          const value = data[at] ?? NaN;
          if (!Number.isNaN(value)) found = Number.isNaN(found) ? value : pick(found, value);
        }
        return found;
      });
    return Object.fromEntries(
      [...track].map(([name, row]) => [name, gather(row, isEffort(name) ? strongest : Math.max)]),
    );
  }
}

/** One series as it was heard since the last change, over what the survey found. */
export function overlay(name: string, survey: Series | null, live: Series | null, count: number): number[] {
  return Array.from({ length: count }, (_, i) => {
    const now = live?.[name]?.[i] ?? NaN;
    return Number.isNaN(now) ? (survey?.[name]?.[i] ?? NaN) : now;
  });
}
