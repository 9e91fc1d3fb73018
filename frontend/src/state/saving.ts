/** Keeping edits: twice a second while the hand moves, at once when it rests, and in the browser until the server has it. */
import { api, Refused } from "../api/client";
import type { Recipe, Revision, Song, Unkept } from "../api/types";
import { isPressed } from "./hand";
import { complain, useBench } from "./store";

const get = useBench.getState;
const set = useBench.setState;

const REST_MS = 350;
/** So often a movement that lasts is kept. */
const MEANWHILE_MS = 400;
/** So often it is noted in the browser. */
const NOTE_MS = 100;
/** What lies in the browser for longer has no other window that will see to it. */
const ORPHAN_MS = 3000;
const RETRY_MS = 1500;
const LONGEST_PAUSE_MS = 30000;
const MOST_UNANSWERED = 50;

type Timer = ReturnType<typeof setTimeout>;

/** One movement of the hand, from the first edit to the rest: one revision, however often it is kept meanwhile. */
interface Movement {
  song: Song;
  id: string;
  label: string;
  recipe: Recipe;
}
let movement: Movement | null = null;
/** Movements that have come to rest and are not kept yet, the oldest first. */
let waiting: Movement[] = [];
let restTimer: Timer | null = null;
let meanwhileTimer: Timer | null = null;
let noteTimer: Timer | null = null;
let againTimer: Timer | null = null;
let saving: Promise<void> = Promise.resolve();
let pauseMs = RETRY_MS;
let unanswered: string[] = [];
let refused: (kept: Revision) => void = () => undefined;

/** What becomes of an edit that the server refuses; the edits put themselves here. */
export function onRefused(stand: typeof refused): void {
  refused = stand;
}

/** The recipe was edited: keep it soon, at once where the hand rests already. */
export function changed(label: string, resting: boolean): void {
  const { song, recipe } = get();
  if (!song || !recipe) return;
  // what is done at one stroke is a step of its own
  if (resting) rest();
  const id = movement?.id ?? `${Date.now().toString(36)}-${Math.random().toString(36).slice(2)}`;
  movement = { song, id, label, recipe };
  if (resting) {
    rest();
    return;
  }
  if (restTimer) clearTimeout(restTimer);
  restTimer = setTimeout(restUnlessHeld, REST_MS);
  meanwhileTimer ??= setTimeout(saveMeanwhile, MEANWHILE_MS);
  noteTimer ??= setTimeout(note, NOTE_MS);
}

/** A hand that only pauses in a drag has not let go. */
function restUnlessHeld(): void {
  if (isPressed()) restTimer = setTimeout(restUnlessHeld, REST_MS);
  else rest();
}

/** The hand has let go: keep what it did. */
export function rest(): void {
  if (!movement) return;
  note();
  waiting.push(movement);
  movement = null;
  stopTimers();
  save();
}

function stopTimers(): void {
  for (const timer of [restTimer, meanwhileTimer, noteTimer, againTimer]) if (timer) clearTimeout(timer);
  restTimer = meanwhileTimer = noteTimer = againTimer = null;
}

/** What was edited and is not kept yet is given up. */
export function giveUp(): void {
  movement = null;
  waiting = [];
  stopTimers();
  forgetNote(get().song);
}

/** Everything that was edited is kept when this is done. */
export async function settle(): Promise<void> {
  rest();
  if (againTimer) save();
  await saving;
}

/** The page goes away: what is not kept yet is sent without waiting for an answer. */
export function saveLeaving(): void {
  const { song, revision } = get();
  const last = movement ?? waiting.at(-1);
  if (!last || last.song.id !== song?.id || !revision) return;
  note();
  api.edit(song.id, written(last, revision), true).catch(() => undefined);
}

/** What was done last and is not kept yet is called. */
export function openLabel(): string | null {
  return movement?.label ?? waiting.at(-1)?.label ?? null;
}

/** Is there anything that was edited and not kept? Asked anew after every wait. */
function isOpen(): boolean {
  return movement !== null || waiting.length > 0;
}

function save(): void {
  if (againTimer) clearTimeout(againTimer);
  againTimer = null;
  saving = saving.then(saveWaiting);
}

function written({ id, label, recipe }: Movement, { id: base }: Revision): Parameters<typeof api.edit>[1] {
  return { base, id, unanswered, label, recipe };
}

/** While the hand moves on: the revision stays the one before, for all that asks what was measured of it. */
function saveMeanwhile(): void {
  meanwhileTimer = null;
  const moving = movement;
  if (!moving || get().conflict) return;
  // what waits before it goes first; a refusal is told when the hand rests and it is tried again
  saving = saving.then(async () => {
    const { song, revision } = get();
    if (waiting.length === 0 && revision && song?.id === moving.song.id)
      await send(moving, revision).catch(() => undefined);
  });
}

function send(moved: Movement, base: Revision): Promise<Revision> {
  if (!unanswered.includes(moved.id)) unanswered = [...unanswered, moved.id].slice(-MOST_UNANSWERED);
  return api.edit(moved.song.id, written(moved, base));
}

/** Keep what waits, each movement as a step of its own, until one is refused. */
async function saveWaiting(): Promise<void> {
  // another song's lie in the browser, and are offered there
  waiting = waiting.filter(({ song }) => song.id === get().song?.id);
  for (let [next] = waiting; next; [next] = waiting) if (!(await keep(next))) return;
}

/** Whether it is kept; what is not goes on waiting. */
async function keep(moved: Movement): Promise<boolean> {
  const { revision } = get();
  if (!revision) return false;
  const isHere = () => get().song?.id === moved.song.id && waiting.includes(moved);
  try {
    const there = await send(moved, revision);
    if (!isHere()) return false;
    waiting = waiting.filter((other) => other !== moved);
    pauseMs = RETRY_MS;
    // whatever came before is answered with it
    unanswered = [];
    if (!isOpen()) forgetNote(moved.song);
    // only the number moves: what was edited meanwhile stays
    set({ revision: there, saved: isOpen() ? "saving" : "saved", problem: null });
    return true;
  } catch (problem) {
    if (!isHere()) return false;
    set({ saved: "failed" });
    complain(problem);
    const status = problem instanceof Refused ? problem.status : 0;
    if (status === 409) set({ conflict: true });
    else if (status === 400) {
      giveUp();
      refused(revision);
    } else {
      // the server or its disk is in trouble: again, with growing pauses
      againTimer = setTimeout(save, pauseMs);
      pauseMs = Math.min(2 * pauseMs, LONGEST_PAUSE_MS);
    }
    return false;
  }
}

// ---- in the browser, until the server has it ------------------------------------------------------------------------

const noteName = (song: number) => `unkept:${song}`;

function note(): void {
  noteTimer = null;
  const last = movement ?? waiting.at(-1);
  if (!last) return;
  const unkept: Unkept = { song: last.song.id, label: last.label, recipe: last.recipe, at: Date.now() };
  try {
    localStorage.setItem(noteName(last.song.id), JSON.stringify(unkept));
  } catch {
    // a browser that keeps nothing keeps nothing; the server is asked all the same
  }
}

function noted(song: Song): Unkept | null {
  const text = localStorage.getItem(noteName(song.id));
  return text ? (JSON.parse(text) as Unkept) : null;
}

export function forgetNote(song: Song | null): void {
  if (song) localStorage.removeItem(noteName(song.id));
}

/** Edits that nobody wants any more, here or with the server that heard them. */
export function forgetLeft(song: Song): void {
  forgetNote(song);
  api.forgetLeft(song.id).catch(() => undefined);
}

/** Look whether this browser holds edits of a song that were never kept, or the server heard some, and offer them. */
export function lookForUnkept(song: Song): void {
  const before = noted(song);
  const unkept = before && before.at >= (song.left?.at ?? 0) ? before : song.left;
  if (!unkept) return;
  setTimeout(() => {
    // another window that is at work sees to its own
    if (get().song?.id !== song.id || noted(song)?.at !== before?.at) return;
    if (JSON.stringify(unkept.recipe) === JSON.stringify(get().recipe)) forgetLeft(song);
    else if (!isOpen()) set({ unkept });
  }, ORPHAN_MS);
}
