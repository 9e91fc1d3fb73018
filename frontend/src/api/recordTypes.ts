/** Records and what is delivered of them, as the server tells of them. */
import type { Kind, Survey, Tail } from "./types";

/** How a song lies in its record. */
export interface Laid {
  gain_db: number;
  /** silence before it; below nought it overlaps the song before */
  gap_s: number;
  fade_in_s: number;
  fade_out_s: number;
  fade_shape: "line" | "smooth" | "power";
  start_s: number;
  end_s: number | null;
  isrc: string | null;
}

export interface RecordSong extends Laid {
  id: number;
  title: string;
  rate_hz: number;
  frames: number;
}

export interface RecordHead {
  title: string;
  artist: string;
  date: string | null;
  upc: string | null;
  /** the hash of its picture */
  cover: string | null;
}

/** A record as it stands. */
export interface RecordNow extends RecordHead {
  id: number;
  edit: number;
  archived: boolean;
  songs: RecordSong[];
  undo: string | null;
  redo: string | null;
}

export interface RecordRow {
  id: number;
  title: string;
  artist: string;
  songs: number;
  archived: boolean;
  deleted: boolean;
}

/** What a song of a record measures at its level there. */
export interface SongHeard {
  wave: [number[], number[]];
  short_term_lufs: (number | null)[];
  seconds: number;
  /** where it begins and ends to sound, in seconds of the song */
  sounds_s: [number, number];
  integrated_lufs: number | null;
  loudness_range_lu: number | null;
  max_short_term_lufs: number | null;
  max_momentary_lufs: number | null;
  true_peak_dbtp: number | null;
}

export interface RecordHeard {
  /** how far the surveys are, null when all are there */
  work: { state: Survey["state"]; progress: number; problem: string | null } | null;
  songs: Record<string, SongHeard>;
  chains: Record<string, { kind: Kind; title: string; summary: string }[]>;
  /** whether all is known that the papers tell */
  papers: boolean;
  /** each song's mid and side against the record's own, and the band that most of it keeps to; null until all are
   * surveyed */
  tone: {
    hz: number[];
    songs_db: [number[], number[]][];
    band_db: [[number[], number[]], [number[], number[]]];
  } | null;
  /** by the songs' places from 1, two for a join */
  stands_out: { songs: number[]; says: string; value: number; unit: string }[];
}

/** Where songs begin and end in a record, in frames, and which spans of it are played. */
export interface Playable {
  state: Survey["state"];
  progress: number;
  problem: string | null;
  rate_hz?: number;
  frames?: number;
  starts?: number[];
  ends?: number[];
  /** from where in what is played, from where in the record, how long */
  spans?: [number, number, number][];
}

/** What a delivered file has to be. */
export interface Spec {
  name: string;
  container: string;
  rate_hz: number | null;
  bits: 16 | 24 | "32f" | null;
  kbit_s: number | null;
  dither: "none" | "tpdf" | "shaped" | null;
  ceiling_dbtp: number | null;
  loudness: { integrated_lufs: number; tolerance_lu: number } | null;
  /** a file a song as it is alone, or as the record goes on; or one file for all */
  files: "songs" | "gapless" | "whole";
  tail: Tail;
}

export interface KeptSpec {
  spec: Spec;
  /** whether the user kept it */
  own: boolean;
}

/** A song by a spec, or the whole record where there is no song. */
export interface Delivered {
  id: number;
  song_id: number | null;
  spec: string;
  file_name: string;
  state: "running" | "done" | "failed" | "stopped";
  progress: number;
  passed: boolean;
  /** whether it would be made otherwise now */
  changed: boolean;
  /** why it does not pass */
  reasons: string[];
  sha256: string | null;
  made_at: string;
}
