/** The wire of the live socket: blocks in, messages out. */
import type { Described, Listening, Match, Recipe } from "../api/types";

export const HEADER_BYTES = 40;
const MAGIC = 0x564c4b54; // "TKLV", little-endian
export const VERSION = 1;
export const PLANES = 4;

/** Where spectra are given: as in Python. */
export const SPECTRUM = { low: 8, high: 22000, points: 260 };

export type Tap = "result" | "removed" | "detector";

export interface Gauge {
  levels_db: [number, number, number, number];
  peak_dbtp: number;
  true_peak_dbtp: number;
  momentary_lufs: number | null;
  short_term_lufs: number | null;
  correlation: number | null;
  scope: [number[], number[]];
  /** mid and side, dB at the points of `SPECTRUM` */
  spectrum: [number[], number[]];
  /** the way to the ear ran over full scale */
  clips: boolean;
}

/** What a stage reads of a block by name; of a bus, a group or a branch only what it gives. */
export interface Reading {
  input_db?: number[];
  heard_db?: number[];
  output_db?: number[];
  effort_db?: number[];
}

export interface Meters {
  now: Gauge;
  other: Gauge;
  other_name: string;
  stages: Record<string, Reading>;
  /** spectrum of what the chosen stage listens to, where it has a detector */
  detector?: [number[], number[]];
  /** frames for which the chain rings on after the song */
  tail: number;
  /** gains by the loudness heard so far; null while one of the two is silent */
  match: Match | null;
  load: number;
}

export interface BlockHead {
  epoch: number;
  revision: number;
  frames: number;
  position: number;
  song: number;
}

export interface Block extends BlockHead {
  /** now left, now right, other left, other right, one after the other */
  planes: Float32Array;
  meters: string;
}

/** A block from the wire; null where it is none that this version understands. */
export function parseBlock(data: ArrayBuffer): Block | null {
  if (data.byteLength < HEADER_BYTES) return null;
  const view = new DataView(data);
  if (view.getUint32(0, true) !== MAGIC || view.getUint16(4, true) !== VERSION) return null;
  const planes = view.getUint16(6, true);
  const frames = view.getUint32(8, true);
  const meterBytes = view.getUint32(20, true);
  const audioBytes = planes * frames * 4;
  if (planes !== PLANES || data.byteLength !== HEADER_BYTES + audioBytes + meterBytes) return null;
  return {
    epoch: view.getUint32(12, true),
    revision: view.getUint32(16, true),
    frames,
    position: view.getFloat64(24, true),
    song: view.getFloat64(32, true),
    planes: new Float32Array(data.slice(HEADER_BYTES, HEADER_BYTES + audioBytes)),
    meters: new TextDecoder().decode(new Uint8Array(data, HEADER_BYTES + audioBytes, meterBytes)),
  };
}

/** What now is compared with in a block, read out of its meters without taking them apart. */
export function otherName(meters: string): string {
  return /"other_name":"([^"]*)"/.exec(meters)?.[1] ?? "";
}

/** What the bench asks of the socket's worker; the worker adds the position being heard. */
export type Ask =
  | { type: "edit"; recipe: Recipe; revision: number }
  | { type: "seek"; song: number }
  | { type: "loop"; loop: [number, number] | null }
  | { type: "tap"; stage: string | null; tap: Tap }
  | { type: "choose"; stage: string | null }
  | { type: "compare"; other: string }
  | { type: "hand"; others: string[] }
  | { type: "gains"; gains_db: Record<string, number> }
  | { type: "listen"; listening: Listening; lufs: (number | null)[] };

export type ToWorker =
  | { type: "connect"; url: string; queueMs: number; port: MessagePort }
  | { type: "queue"; queueMs: number }
  | { type: "ask"; ask: Ask };

/** How hard the server works: a heavy chain is not rendered as it plays, but its loop before. */
export interface Work {
  heavy: boolean;
  /** how much of the loop is ready; null where none is rendered ahead */
  progress: number | null;
}

export type FromWorker =
  | { type: "hello"; rateHz: number; frames: number; again: boolean }
  | { type: "block"; head: BlockHead; meters: string }
  | { type: "lost" }
  | ({ type: "work" } & Work)
  | { type: "described"; stages: Record<string, Described> }
  | { type: "problem"; problem: string; fatal: boolean };

/** From the player to the worker: how far the ear is. */
export interface Heard {
  type: "heard";
  epoch: number;
  position: number;
}

/** From the worker to the player. */
export type ToPlayer =
  ({ type: "block"; planes: Float32Array; other: string } & BlockHead) | { type: "reset" };
