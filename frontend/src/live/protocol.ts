/** The wire of the live socket: blocks in, messages out. */
import type { Change } from "./documentEdits";
import type { Described, Listening, Match, Recipe, Touch } from "../api/types";

export const HEADER_BYTES = 40;
const MAGIC = 0x564c4b54; // "TKLV", little-endian
const VERSION = 2;
const PLANES = 4;

/** Where spectra are given: as in Python. */
export const SPECTRUM = { low: 8, high: 22000, points: 260 };

/** Values of a meter, one after the other. */
export type Row = Float32Array;
/** Mid and side, dB at the points of `SPECTRUM`. */
export type Spectrum = readonly [Row, Row];

export type Tap = "result" | "removed" | "detector";

export interface Gauge {
  /** left, right, mid, side */
  levels_db: Row;
  peak_dbtp: number;
  true_peak_dbtp: number;
  momentary_lufs: number | null;
  short_term_lufs: number | null;
  correlation: number | null;
  scope: readonly [Row, Row];
  spectrum: Spectrum;
  /** the way to the ear ran over full scale */
  clips: boolean;
}

/** What a stage reads of a block by name; of a bus, a group or a branch only what it gives. */
type Reading = Partial<Record<string, Row>>;

export interface Meters {
  now: Gauge;
  other: Gauge;
  other_name: string;
  stages: Record<string, Reading>;
  /** of the chosen stage: what its detector listens to; what comes into a split, and what each branch gives */
  inside: Record<string, Spectrum>;
  /** of the chosen stage: what it works by, over frequency */
  curves: Record<string, Row>;
  /** frames for which the chain rings on after the song */
  tail: number;
  /** gains by the loudness heard so far; null while one of the two is silent */
  match: Match | null;
  /** the same from the last tenth of a second, to follow a hand by */
  near: Match | null;
  /** share of the clock that rendering takes */
  load: number;
  /** the same of the processor's time: less than the load where other programs take the machine */
  work: number;
}

export interface BlockHead {
  epoch: number;
  revision: number;
  frames: number;
  position: number;
  song: number;
}

/** Put a block among those that are to be heard, in the order of the stream; what it replaces is dropped. */
export function putInOrder<Item extends { head: BlockHead }>(items: Item[], item: Item): void {
  const { epoch, position, frames } = item.head;
  let at = items.length;
  while (at > 0 && isFrom(items[at - 1]!.head, epoch, position)) at--;
  let end = at;
  while (end < items.length && !isFrom(items[end]!.head, epoch, position + frames)) end++;
  items.splice(at, end - at, item);
}

/** Whether a block begins at a position or later. */
function isFrom(block: BlockHead, epoch: number, position: number): boolean {
  return block.epoch > epoch || (block.epoch === epoch && block.position >= position);
}

/** What is heard at a position: the block that begins there or before. */
export function itemAt<Item extends { head: BlockHead }>(
  items: readonly Item[],
  epoch: number,
  position: number,
): Item | undefined {
  return items.findLast(({ head }) => head.epoch === epoch && head.position <= position);
}

export interface Block extends BlockHead {
  /** now left, now right, other left, other right, one after the other */
  planes: Float32Array;
  values: Row;
  meters: string;
}

/** A block from the wire; null where it is none that this version understands. */
export function parseBlock(data: ArrayBuffer): Block | null {
  if (data.byteLength < HEADER_BYTES) return null;
  const view = new DataView(data);
  if (view.getUint32(0, true) !== MAGIC || view.getUint16(4, true) !== VERSION) return null;
  const planes = view.getUint16(6, true);
  const frames = view.getUint32(8, true);
  const values = HEADER_BYTES + planes * frames * 4;
  const names = values + view.getUint32(20, true) * 4;
  if (planes !== PLANES || data.byteLength < names) return null;
  return {
    epoch: view.getUint32(12, true),
    revision: view.getUint32(16, true),
    frames,
    position: view.getFloat64(24, true),
    song: view.getFloat64(32, true),
    planes: new Float32Array(data.slice(HEADER_BYTES, values)),
    values: new Float32Array(data.slice(values, names)),
    meters: new TextDecoder().decode(new Uint8Array(data, names)),
  };
}

/** Meters by name, with their rows in place of where they lie among the values. */
export function readMeters(named: string, values: Row): Meters {
  const found = (_: string, value: unknown): unknown => {
    const at = (value as { row?: number[] } | null)?.row;
    if (!at) return value;
    const [first = 0, ...shape] = at;
    const [rows, length] = shape.length === 2 ? (shape as [number, number]) : [null, shape[0] ?? 0];
    const row = (index: number) => values.subarray(first + index * length, first + (index + 1) * length);
    return rows === null ? row(0) : Array.from({ length: rows }, (_one, index) => row(index));
  };
  return JSON.parse(named, found) as Meters;
}

/** What now is compared with in a block, read out of its meters without taking them apart. */
export function otherName(meters: string): string {
  return /"other_name":"([^"]*)"/.exec(meters)?.[1] ?? "";
}

interface Named {
  revision: number;
  label: string | null;
}

/** An edit, said as what it changes of the one before. */
export type EditChange = { type: "change"; changes: Change[] } & Named;

/** What the bench asks of the socket's worker; the worker adds the position being heard. */
export type Ask =
  | ({ type: "edit"; recipe: Recipe } & Named)
  | { type: "touches"; touches: Touch[]; revision: number }
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
  | { type: "ask"; ask: Ask | EditChange };

/** How hard the server works: a heavy chain is not rendered as it plays, but its loop before. */
export interface Work {
  heavy: boolean;
  /** how much of the loop is ready; null where none is rendered ahead */
  progress: number | null;
}

export type FromWorker =
  | { type: "hello"; rateHz: number; frames: number; again: boolean }
  | { type: "block"; head: BlockHead; values: Row; meters: string }
  | { type: "lost" }
  | ({ type: "work" } & Work)
  | { type: "roundTrip"; ms: number }
  | { type: "priority"; priority: "high" | "normal" }
  | { type: "described"; stages: Record<string, Described> }
  | { type: "problem"; problem: string; fatal: boolean };

/** From the player to the worker: how far the ear is. */
export interface Heard {
  type: "heard";
  epoch: number;
  position: number;
  /** whether it is meant to play, also while it waits for sound */
  playing: boolean;
}

/** From the worker to the player. */
export type ToPlayer =
  ({ type: "block"; planes: Float32Array; other: string } & BlockHead) | { type: "reset" };
