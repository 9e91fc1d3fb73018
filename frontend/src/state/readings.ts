/** What every stage read as it was heard, laid out over the song, for the pictures over time. */
import type { Series } from "../api/types";
import type { BlockHead, Meters } from "../live/protocol";

export const READING_FRAMES = 256;

class Track {
  readonly input: Float32Array;
  readonly heard: Float32Array;
  readonly output: Float32Array;
  readonly effort: Float32Array;

  constructor(length: number) {
    this.input = new Float32Array(length).fill(NaN);
    this.heard = new Float32Array(length).fill(NaN);
    this.output = new Float32Array(length).fill(NaN);
    this.effort = new Float32Array(length).fill(NaN);
  }
}

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
    for (const [id, reading] of Object.entries(meters.stages)) {
      let track = this.tracks.get(id);
      if (!track) {
        track = new Track(Math.ceil(this.frames / READING_FRAMES) + 8);
        this.tracks.set(id, track);
      }
      if (at >= track.input.length) continue;
      const room = track.input.length - at;
      track.input.set((reading.input_db ?? []).slice(0, room), at);
      track.heard.set((reading.heard_db ?? []).slice(0, room), at);
      track.output.set((reading.output_db ?? []).slice(0, room), at);
      track.effort.set((reading.effort_db ?? []).slice(0, room), at);
    }
  }

  /** Columns between two song frames; NaN where nothing was heard yet. */
  columns(id: string, from: number, to: number, count: number): Required<Series> | null {
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
    return {
      input_db: gather(track.input, Math.max),
      heard_db: gather(track.heard, Math.max),
      output_db: gather(track.output, Math.max),
      effort_db: gather(track.effort, Math.min),
    };
  }
}

/** What was heard since the last change, over what the survey found. */
export function overlay(survey: Series | null, live: Series | null, count: number): Required<Series> {
  const merge = (a: number[] | undefined, b: number[] | undefined) =>
    Array.from({ length: count }, (_, i) => {
      const now = b?.[i] ?? NaN;
      return Number.isNaN(now) ? (a?.[i] ?? NaN) : now;
    });
  return {
    input_db: merge(survey?.input_db, live?.input_db),
    heard_db: merge(survey?.heard_db, live?.heard_db),
    output_db: merge(survey?.output_db, live?.output_db),
    effort_db: merge(survey?.effort_db, live?.effort_db),
  };
}
