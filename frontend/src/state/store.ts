/** The bench's state: the song, its recipe as it is being edited, and how it is listened to. */
import { create } from "zustand";
import type {
  Described,
  Grid,
  KindInfo,
  Listening,
  Param,
  Recipe,
  Revision,
  Song,
  Stages,
  Unkept,
} from "../api/types";
import type { Tap, Work } from "../live/protocol";
import type { Lane } from "./editing";
import { MASTER } from "../tree/tree";
import { UNMATCHED } from "./loudnessMatch";
import type { Pair } from "./loudnessMatch";
import { moveWhile, wake } from "../ui/ticker";
import { Readings } from "./readings";

/** What is heard: `now`, or what it is compared with: `received`, `version:3`, `without:stage`, `reference:2`. */
export type Heard = string;
export type Saved = "saved" | "saving" | "failed";
/** Song frames that the map shows. */
export type Span = [number, number];

export const PLAIN: Listening = {
  fold: "stereo",
  range: "all",
  low_hz: 20,
  high_hz: 120,
  place: "studio",
  solo: [],
  muted: [],
};

interface BenchState {
  stages: Stages | null;
  /** the record that is open instead of a song; what is played of it then stands for the song */
  record: number | null;
  song: Song | null;
  recipe: Recipe | null;
  revision: Revision | null;
  described: Record<string, Described>;
  saved: Saved;
  lane: Lane;
  selected: string | null;
  /** what is chosen beside the selected stage, in the same chain */
  also: string[];
  playing: boolean;
  heard: Heard;
  /** What stands beside now in the sound that is sent. */
  other: string;
  matched: boolean;
  match: Pair;
  /** While a blind test goes on, what is heard, as it may be called; the bench gives away nothing else. */
  blind: string | null;
  monitorDb: number;
  dim: boolean;
  loop: Span | null;
  view: Span | null;
  /** tempo and bars as they were tapped; null where what was found holds */
  grid: Grid | null;
  /** as the survey found them */
  foundGrid: Grid | null;
  tap: Tap;
  listening: Listening;
  connected: boolean;
  underruns: number;
  work: Work;
  queueMs: number;
  /** whether what is compared stays matched while a hand moves a stage that makes louder */
  matchMoving: boolean;
  problem: string | null;
  /** whether another window has gone on from where this one began */
  conflict: boolean;
  /** edits that were never kept, and are offered */
  unkept: Unkept | null;
  /** Something that went well and is worth a word. */
  said: string | null;
  dark: boolean;
  /** the stage whose inside is looked at, and measured for that */
  lookedAt: string | null;
  /** what may be compared next, so that it is heard at once */
  atHand: Heard[];
  /** what stands on the number keys */
  keyed: Heard[];
  /** whether single letters act; with Ctrl or Alt keys always do */
  letters: boolean;
}

export const useBench = create<BenchState>(() => ({
  stages: null,
  record: null,
  song: null,
  recipe: null,
  revision: null,
  described: {},
  saved: "saved",
  lane: MASTER,
  selected: null,
  also: [],
  playing: false,
  heard: "now",
  other: "received",
  matched: true,
  match: UNMATCHED,
  blind: null,
  monitorDb: -6,
  dim: false,
  loop: null,
  view: null,
  grid: null,
  foundGrid: null,
  tap: "result",
  listening: PLAIN,
  connected: false,
  underruns: 0,
  work: { heavy: false, progress: null },
  queueMs: 200,
  matchMoving: localStorage.getItem("match-moving") !== "off",
  problem: null,
  conflict: false,
  unkept: null,
  said: null,
  lookedAt: null,
  atHand: [],
  keyed: ["received", "now"],
  dark: localStorage.getItem("theme") === "dark",
  letters: localStorage.getItem("letters") !== "off",
}));

// what moves moves while the song plays, and after every change
moveWhile(() => useBench.getState().playing);
useBench.subscribe(wake);

export const readings = new Readings();

export function complain(problem: unknown): void {
  useBench.setState({ problem: problem instanceof Error ? problem.message : String(problem) });
}

export function kindInfo(kind: string): KindInfo | undefined {
  return useBench.getState().stages?.kinds.find((info) => info.kind === kind);
}

export const NO_PARAMS: Param[] = [];

/** The parameters of what a stage's list holds, such as an equalizer's bands. */
export function useItems(kind: string, list: string): Param[] {
  return useBench(
    (s) => s.stages?.kinds.find((info) => info.kind === kind)?.items[list]?.params ?? NO_PARAMS,
  );
}

export function paramInfo(kind: string, name: string): Param | undefined {
  return kindInfo(kind)?.params.find((param) => param.name === name);
}
