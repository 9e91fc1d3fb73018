/** What is tried and measured beside the bench, in the background. */
import type { Survey } from "./types";

/** What a passage is measured by when its level is set. */
export type Aim = "integrated_lufs" | "max_short_term_lufs" | "max_momentary_lufs" | "true_peak_dbtp";

/** A value that is being tried on the song, or has been. */
export interface Tried<Found> {
  state: Survey["state"];
  progress: number;
  problem: string | null;
  found: Found | null;
}

interface AimTrial {
  gain_db: number;
  measures: Record<Aim, number | null>;
  /** what dynamic stages from there on take off at most, by id */
  work_db: Record<string, number>;
}

/** The gain that reaches a loudness, and what it costs. */
export interface Aimed {
  param: string;
  reached: boolean;
  words: string;
  before: AimTrial;
  after: AimTrial;
}

/** What each dB of push wins and costs. */
export interface Won {
  param: string;
  steps: { push_db: number; lufs: number; work_db: number; often_db: number; added_db: number }[];
  /** beyond it a dB wins less than it is worth; null where none does */
  worth_db: number | null;
  words: string;
  /** what cutting the ends of the spectrum would win */
  ends: string;
}

export type Coder = "opus" | "ogg" | "mp3";
type Peaks = Record<"integrated_lufs" | "true_peak_dbtp" | "sample_peak_dbfs", number | null>;

/** The song coded and decoded: what both measure, and the names that it is compared by. */
export interface Coded extends Tried<{ coded: Peaks; mastered: Peaks }> {
  coded: string;
  added: string;
}

/** What leaves a stage; no stage is what comes into the chain. */
export interface LadderStep {
  stage: string | null;
  lufs: number | null;
  true_peak_dbtp: number;
}

/** Loudness by ISO 532-1; `specific` is in sone a Bark. */
interface Loud {
  n5_sone: number;
  mean_sone: number;
  bark: number[];
  specific: number[];
}

export interface HowLoud {
  lufs: number | null;
  own: Loud;
  /** at −20 LUFS */
  equal: Loud;
}

export interface Perceived {
  state: string;
  progress?: number;
  problem?: string | null;
  before?: HowLoud;
  after?: HowLoud;
  words?: string;
}
