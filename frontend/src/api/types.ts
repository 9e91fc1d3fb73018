/** What the server answers, beside the recipe whose types are generated. */
import type { Bus, Recipe } from "./recipe";

export type { Bus, Recipe };
export type Stage = Recipe["master"][number];
export type Kind = Stage["kind"];
export type Channels = "stereo" | "mid" | "side" | "left" | "right";
export type Value = number | boolean | string | null | DetectorFilter[];
export interface DetectorFilter {
  kind: "high_pass" | "low_pass" | "bell" | "high_shelf" | "low_shelf";
  hz: number;
  q: number;
  gain_db: number;
  slope: 6 | 12 | 24;
}

export interface SongRow {
  id: number;
  record: string;
  artist: string;
  place: number;
  title: string;
}

export interface Source {
  sha256: string;
  name: string;
  format: string;
  rate_hz: number;
  channels: number;
  frames: number;
}

export interface Revision {
  id: number;
  recipe: Recipe;
  label: string;
  made_at: string;
  undo: string | null;
  redo: string | null;
}

export interface View {
  stage?: string | null;
  loop?: [number, number] | null;
  song?: number;
}

export interface Song extends SongRow {
  rate_hz: number;
  frames: number;
  sources: Record<string, Source>;
  revision: Revision;
  view: View;
}

export interface Param {
  name: string;
  type: "number" | "boolean" | "choice" | "array" | "null";
  label: string;
  says: string;
  unit: string;
  default: Value;
  low: number | null;
  high: number | null;
  scale: "linear" | "log";
  ticks: number[];
  choices: (string | number)[];
}

export interface KindInfo {
  kind: Kind;
  title: string;
  says: string;
  channels: Channels[];
  mixes: boolean;
  dynamic: boolean;
  params: Param[];
}

export interface Stages {
  kinds: KindInfo[];
  detector_filter: Param[];
}

export interface Described {
  summary: string;
  picture: Record<string, number[] | number>;
}

export interface Measures {
  rate_hz: number;
  channels: number;
  duration_s: number;
  integrated_lufs: number | null;
  max_momentary_lufs: number | null;
  max_short_term_lufs: number | null;
  loudness_range_lu: number | null;
  true_peak_dbtp: number;
  sample_peak_dbfs: number;
  peak_to_loudness_lu: number | null;
  correlation: number | null;
  mono_loss_lu: number | null;
  side_energy_below_120hz: number;
  clipped_samples: number;
}

export interface Survey {
  state: "waiting" | "running" | "failed" | "stopped" | "done";
  progress: number;
  problem?: string | null;
  mastered?: [number[], number[]];
  effort?: Record<string, number[]>;
  hardest?: Record<string, { db: number; at_s: number }>;
  measures?: Measures;
}

export interface Series {
  input_db: number[];
  heard_db: number[];
  effort_db: number[];
}

export interface Match {
  received_db: number;
  now_db: number;
  estimate: boolean;
}

export interface PrintSettings {
  format: "wav" | "flac" | "aiff";
  bits: "16" | "24" | "32f";
  dither: "none" | "tpdf" | "shaped" | null;
  rate_hz: number | null;
  band_limit: boolean;
}

export interface Print {
  id: number;
  song_id: number;
  revision_id: number;
  file_name: string;
  state: "running" | "done" | "failed" | "stopped";
  progress: number;
  problem: string | null;
  clipped: number | null;
  measures: Measures | null;
  made_at: string;
}
