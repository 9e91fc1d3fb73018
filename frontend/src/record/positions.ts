/** Where things are in a record: played frames, frames of the record, songs. Pure functions. */
import type { Playable, RecordSong } from "../api/recordTypes";

export type Played = Required<Omit<Playable, "state" | "progress" | "problem">>;

/** The frame of the record that is heard at a frame of what is played. */
export function recordFrame({ spans }: Pick<Played, "spans">, played: number): number {
  const span = spans.findLast(([at]) => at <= played) ?? spans[0]!;
  return span[1] + Math.min(played - span[0], span[2]);
}

/** The frame of what is played at which a frame of the record is heard; null where it is left out. */
export function playedFrame({ spans }: Pick<Played, "spans">, frame: number): number | null {
  const span = spans.find(([, start, length]) => start <= frame && frame < start + length);
  return span ? span[0] + frame - span[1] : null;
}

/** The place of the song that sounds at a frame of the record, from 0; the next one's where none does. */
export function songAt({ starts, ends }: Pick<Played, "starts" | "ends">, frame: number): number {
  const sounding = starts.findLastIndex((start, i) => start <= frame && frame < ends[i]!);
  if (sounding >= 0) return sounding;
  const next = starts.findIndex((start) => start > frame);
  return next < 0 ? starts.length - 1 : next;
}

/** How long a song is in the record, in seconds. */
export function secondsOf({ frames, rate_hz, start_s, end_s }: RecordSong): number {
  const whole = frames / rate_hz;
  return Math.max(0, Math.min(whole, end_s ?? whole) - start_s);
}

/** How long the record is, gaps and crossfades counted. */
export function lengthOf(songs: readonly RecordSong[]): number {
  return songs.reduce((sum, song, i) => sum + secondsOf(song) + (i ? song.gap_s : 0), 0);
}

/** The songs with the one at a place moved to another. */
export function moved<Item>(items: readonly Item[], from: number, to: number): Item[] {
  const rest = items.filter((_, i) => i !== from);
  const at = Math.max(0, Math.min(rest.length, to));
  return [...rest.slice(0, at), items[from]!, ...rest.slice(at)];
}
