/** What the server answers, beside the recipe whose types are generated. */
import type { Branch, Bus, Point, Recipe, ParameterAutomation } from "./recipe";

export type { Branch, Bus, Point, Recipe, ParameterAutomation };
export type Stage = Recipe["master"][number];
export type Kind = Stage["kind"];
export type Channels = "stereo" | "mid" | "side" | "left" | "right";
export type Value = number | boolean | string | null | DetectorFilter[] | Item[] | string[] | number[];
/** A part of a stage's list, such as a band. */
export type Item = Extract<
  Stage,
  { kind: "equalizer" | "band_dynamics" | "dynamic_equalizer" }
>["params"]["bands"][number];
export type Band = Extract<Stage, { kind: "equalizer" }>["params"]["bands"][number];
export interface DetectorFilter {
  kind: "high_pass" | "low_pass" | "bell" | "high_shelf" | "low_shelf";
  hz: number;
  q: number;
  gain_db: number;
  slope: 6 | 12 | 24;
}

export interface SongRow {
  id: number;
  record_id: number;
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
  /** how often it was saved in place, while the hand moved on */
  saves: number;
  recipe: Recipe;
  label: string;
  made_at: string;
  undo: string | null;
  redo: string | null;
  /** number of the set of files that the buses are */
  bounces: number;
}

/** A value in the hand; `trim_from` what was heard of its ride as the hand took it, where that goes on, shifted. */
export interface Touch {
  target: string;
  param: string;
  value: Point["value"];
  trim_from: number | null;
}

/** All that a hand did to one value while the song played. */
export interface Take {
  target: string;
  param: string;
  passages: { moves: [seconds: number, value: Point["value"]][]; end_s: number }[];
  trim_from: number[] | null;
  again: "writes over" | "is ignored";
}

/** A tempo that holds for the whole song: where its first bar begins, and beats a bar. */
export interface Grid {
  bpm: number;
  first_s: number;
  bar: number;
  /** 0–1, as it was found; 1 where it was tapped */
  confidence: number;
}

export interface View {
  lane?: string;
  stage?: string | null;
  loop?: [number, number] | null;
  song?: number;
  /** tempo and bars as they were tapped */
  grid?: Grid | null;
}

/** Edits that were never kept. */
export interface Unkept {
  song: number;
  label: string;
  recipe: Recipe;
  /** ms since 1970 */
  at: number;
}

export interface Song extends SongRow {
  rate_hz: number;
  frames: number;
  sources: Record<string, Source>;
  revision: Revision;
  view: View;
  /** what somebody left in the middle of an edit */
  left: Unkept | null;
}

export interface Param {
  name: string;
  type: "number" | "numbers" | "boolean" | "choice" | "array" | "null";
  label: string;
  says: string;
  unit: string;
  default: Value;
  low: number | null;
  high: number | null;
  scale: "linear" | "log";
  ticks: number[];
  choices: (string | number)[];
  /** whether moving it would move the song in time */
  delays: boolean;
}

export interface KindInfo {
  kind: Kind;
  title: string;
  says: string;
  /** trade words by which somebody looks for it */
  sought: string[];
  channels: Channels[];
  mixes: boolean;
  /** its controls change how loud the song is */
  louder: boolean;
  /** the parameter that makes all that leaves it louder or quieter */
  level: string | null;
  /** the parameter that pushes the song up against it */
  pushes: string | null;
  /** how it is given less to do, in words */
  eased: string | null;
  mix: number;
  dynamic: boolean;
  params: Param[];
  /** its controls by purpose, `mix` among them; what is in none has a place of its own */
  columns: { title: string; params: string[] }[];
  /** what does nothing but while another parameter has this value */
  active_when: Record<string, { param: string; is: boolean | string }>;
  /** what its lists hold, by the name of the list */
  items: Record<string, { title: string; params: Param[] }>;
}

export interface Stages {
  kinds: KindInfo[];
  /** the parameters that every stage has beside its own, and those of buses, groups and branches */
  shared: Record<"stage" | "bus" | "branch", Param[]>;
  split: SplitDeclared;
}

/** A chain to begin with, as a recipe file. */
export interface KeptChain {
  name: string;
  /** its stages in words */
  says: string;
  recipe: Recipe;
  /** whether the user kept it */
  own: boolean;
}

/** One edit of a song's history. */
export interface Edit {
  id: number;
  label: string;
  made_at: string;
  /** what its state is called as a version */
  version: string | null;
}

type SplitParams = Extract<Stage, { kind: "split" }>["params"];

/** What splits may be, by what they divide by. */
export interface SplitDeclared {
  parts: Record<SplitParams["by"], { least: number; most: number }>;
  /** what branches are called at first, by how many there are */
  names: Record<SplitParams["by"], Record<number, string[]>>;
  /** Of frames that tell hits and tones apart, to begin with. */
  resolution_ms: SplitParams["resolution_ms"];
  deepest: number;
}

export interface Described {
  summary: string;
  picture: Picture;
}

/** What Python drew for a stage; which parts there are depends on its kind. */
interface Picture {
  hz?: number[];
  db?: number[];
  heard_db?: number[];
  bump_hz?: number[];
  bump_db?: number[];
  in_db?: number[];
  out_db?: number[];
  plots?: Partial<Record<Channels, number[]>>;
  classes_db?: number[];
  drive_db?: number;
  trim_db?: number;
  emphasis_db?: number[];
  tone_db?: number;
  harmonics_db?: number[];
  s?: number[];
  level_db?: number[];
  mono_db?: number;
  bands?: Record<string, number[]>;
  notes?: string[];
}

interface Measures {
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
  energy_below_30hz: number;
  energy_above_16khz: number;
}

export interface Finding {
  id: string;
  title: string;
  says: string;
  value: number;
  unit: string;
  threshold: number;
  at_s: number | null;
  fix: string | null;
}

/** The rows of the song map, in columns. */
export interface MapRows {
  mastered: [number[], number[]];
  received_wave?: [number[], number[]];
  effort: Record<string, number[]>;
  hardest: Record<string, { db: number; at_s: number }>;
  momentary_lufs: (number | null)[];
  peaks: number[];
  correlation: (number | null)[];
  low_correlation: (number | null)[];
}

export interface SectionFigures {
  id: string;
  name: string;
  start_s: number;
  integrated_lufs: number | null;
  max_short_term_lufs: number | null;
  loudness_range_lu: number | null;
  true_peak_dbtp: number;
  /** most that the last ceiling takes there */
  work_db: number | null;
  side_share: number | null;
}

export interface Survey extends Partial<MapRows> {
  state: "waiting" | "running" | "failed" | "stopped" | "done";
  progress: number;
  problem?: string | null;
  measures?: Measures;
  received?: Measures;
  findings?: Finding[];
  dismissed?: number;
  /** tempo and bars, where the song keeps them */
  grid?: Grid | null;
  /** the song from section to section */
  sections?: SectionFigures[];
  /** stage id → advice that the song itself gives */
  notes?: Record<string, string[]>;
  /** stage id → what a dynamic stage does over the song, in words */
  work?: Record<string, string>;
}

/** What a stage reads, by name; what it takes off is there where it takes something off. */
export type Series = Partial<Record<string, number[]>>;

/** What a stage did along a passage, in words too, and on average over the song. */
export interface SurveySeries {
  rows: Series;
  words: string;
  /** over frequencies of its own, by name */
  curves: Series;
}

interface PassageImage {
  hz: number[];
  /** null where a band is silent */
  correlation: (number | null)[];
  side_share: (number | null)[];
  /** how often samples lie there, 0 to 1; rows from mid up to mid down */
  density: number[][];
  mono_loss_lu: number | null;
}

/** The stereo image of a passage as a stage meets it and as it leaves it; what mono loses of the song. */
export interface StageImage {
  before: PassageImage;
  after: PassageImage;
  song: { mono_loss_lu: number; worst_lu: number; at_s: number } | null;
  words: string;
}

interface OwnNote {
  id: number;
  /** null where it is on the whole song */
  at_s: number | null;
  text: string;
  done: boolean;
}

/** Notes on a song: one's own, and what was found in it as it came (null while it is surveyed). */
export interface Notes {
  own: OwnNote[];
  found: (Omit<OwnNote, "id"> & { id: string })[] | null;
}

/** Gains for equal loudness, never above 0 dB. */
export interface Match {
  other_db: number;
  now_db: number;
}

/** The same of all that is compared, by name, as far as surveys know them. */
export interface Matched {
  gains_db: Record<string, number>;
  integrated_lufs: Record<string, number | null>;
}

export interface Version {
  id: number;
  song_id: number;
  revision_id: number;
  name: string;
  made_at: string;
  recipe: Recipe;
}

export interface Reference {
  id: number;
  name: string;
  source: Source;
  start_frame: number;
  end_frame: number;
}

export interface Difference {
  stage: string | null;
  title: string;
  what: string;
  before: unknown;
  after: unknown;
}

export interface Passage {
  integrated_lufs: number | null;
  max_momentary_lufs: number | null;
  max_short_term_lufs: number | null;
  loudness_range_lu: number | null;
  true_peak_dbtp: number;
  peak_to_loudness_lu: number | null;
  correlation: number | null;
  low_correlation: number | null;
  mono_loss_lu: number | null;
  hz: number[];
  average_db: [number[], number[]];
  maximum_db: [number[], number[]];
  ranges: { name: string; level_db: number; crest_db: number; side_share: number }[];
}

export interface Panel {
  state: string;
  before: Passage;
  after: Passage;
  spread: { hz: number[]; low_db: [number[], number[]]; high_db: [number[], number[]] } | null;
}

export interface Place {
  name: PlaceName;
  title: string;
  says: string;
  curve_db: number[];
}

export type Fold = "stereo" | "mono" | "mono_one" | "mid" | "side" | "left" | "right";
type PlaceName = "studio" | "phone" | "laptop" | "radio" | "car" | "club" | "converter" | "streaming";

export interface Listening {
  fold: Fold;
  range: "all" | "lows" | "band";
  low_hz: number;
  high_hz: number;
  place: PlaceName;
  solo: string[];
  muted: string[];
}

export interface BlindTest {
  kind: "which is X" | "which is better";
  first: string;
  second: string;
  rounds: number;
  hits: number;
  says: string;
  made_at?: string;
}

export interface PrintSettings {
  format: "wav" | "flac" | "aiff";
  bits: "16" | "24" | "32f";
  dither: "none" | "tpdf" | "shaped" | null;
  rate_hz: number | null;
  band_limit: boolean;
  tail: Tail;
  part: string;
}

/** Room after a song for what rings on: none, as long as it rings, or seconds. */
export type Tail = "none" | "auto" | number;

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
