/** Keeping edits: twice a second while the hand moves, at once when it rests, and in the browser until the server has it. */
import { api, Refused } from "../api/client";
import type { Revision, Song } from "../api/types";
import { complain, useBench } from "./store";
import type { Unkept } from "./store";

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
let movement: { id: string; label: string } | null = null;
let restTimer: Timer | null = null;
let meanwhileTimer: Timer | null = null;
let noteTimer: Timer | null = null;
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
  movement ??= { id: `${Date.now().toString(36)}-${Math.random().toString(36).slice(2)}`, label };
  movement.label = label;
  if (restTimer) clearTimeout(restTimer);
  restTimer = setTimeout(save, resting ? 0 : REST_MS);
  if (!resting) meanwhileTimer ??= setTimeout(saveMeanwhile, MEANWHILE_MS);
  if (resting) note();
  else
    noteTimer ??= setTimeout(() => {
      noteTimer = null;
      note();
    }, NOTE_MS);
}

/** The hand has let go: keep what it did. */
export function rest(): void {
  if (!movement) return;
  note();
  if (restTimer) clearTimeout(restTimer);
  restTimer = setTimeout(save, 0);
}

/** What was edited and is not kept yet is given up. */
export function giveUp(): void {
  movement = null;
  for (const timer of [restTimer, meanwhileTimer, noteTimer]) if (timer) clearTimeout(timer);
  restTimer = meanwhileTimer = noteTimer = null;
  forgetNote(get().song);
}

/** Everything that was edited is kept when this is done. */
export async function settle(): Promise<void> {
  rest();
  if (restTimer) {
    clearTimeout(restTimer);
    save();
  }
  await saving;
}

/** The page goes away: what is not kept yet is sent without waiting for an answer. */
export function saveLeaving(): void {
  const { song, recipe, revision } = get();
  if (!song || !recipe || !revision || !movement) return;
  note();
  const { id, label } = movement;
  api.edit(song.id, { base: revision.id, id, unanswered, label, recipe }, true).catch(() => undefined);
}

/** Asked after a wait, during which another edit may have come. */
function moves(): boolean {
  return movement !== null;
}

function save(): void {
  restTimer = null;
  if (meanwhileTimer) clearTimeout(meanwhileTimer);
  meanwhileTimer = null;
  saving = saving.then(saveNow);
}

/** While the hand moves on: the revision stays the one before, for all that asks what was measured of it. */
function saveMeanwhile(): void {
  meanwhileTimer = null;
  const { song, recipe, revision, conflict } = get();
  if (!song || !recipe || !revision || !movement || conflict) return;
  const { id, label } = movement;
  saving = saving
    .then(() => send(song, { base: revision.id, id, unanswered, label, recipe }))
    // it is tried again when the hand rests
    .then(
      () => undefined,
      () => undefined,
    );
}

function send(song: Song, edit: Parameters<typeof api.edit>[1]): Promise<Revision> {
  if (!unanswered.includes(edit.id)) unanswered = [...unanswered, edit.id].slice(-MOST_UNANSWERED);
  return api.edit(song.id, edit);
}

async function saveNow(): Promise<void> {
  const { song, recipe, revision } = get();
  if (!song || !recipe || !revision || !movement) return;
  const kept = movement;
  movement = null;
  try {
    const there = await send(song, { base: revision.id, id: kept.id, unanswered, label: kept.label, recipe });
    if (get().song?.id !== song.id) return;
    pauseMs = RETRY_MS;
    // whatever came before is answered with it
    unanswered = [];
    if (!moves()) forgetNote(song);
    // only the number moves: what was edited meanwhile stays
    set({ revision: there, saved: moves() ? "saving" : "saved", problem: null });
  } catch (problem) {
    if (get().song?.id !== song.id) return;
    movement ??= kept;
    set({ saved: "failed" });
    complain(problem);
    const status = problem instanceof Refused ? problem.status : 0;
    if (status === 409) set({ conflict: true });
    else if (status === 400) {
      giveUp();
      refused(revision);
    } else {
      // the server or its disk is in trouble: again, with growing pauses
      restTimer = setTimeout(save, pauseMs);
      pauseMs = Math.min(2 * pauseMs, LONGEST_PAUSE_MS);
    }
  }
}

// ---- in the browser, until the server has it ------------------------------------------------------------------------

const noteName = (song: number) => `unkept:${song}`;

function note(): void {
  const { song, recipe } = get();
  if (!song || !recipe || !movement) return;
  const unkept: Unkept = { song: song.id, label: movement.label, recipe, at: Date.now() };
  try {
    localStorage.setItem(noteName(song.id), JSON.stringify(unkept));
  } catch {
    // a browser that keeps nothing keeps nothing; the server is asked all the same
  }
}

export function forgetNote(song: Song | null): void {
  if (song) localStorage.removeItem(noteName(song.id));
}

/** Look whether this browser still holds edits of a song that no server has, and offer them. */
export function lookForUnkept(song: Song): void {
  const text = localStorage.getItem(noteName(song.id));
  if (!text) return;
  setTimeout(() => {
    // another window that is at work sees to its own
    if (get().song?.id !== song.id || localStorage.getItem(noteName(song.id)) !== text) return;
    const unkept = JSON.parse(text) as Unkept;
    if (JSON.stringify(unkept.recipe) === JSON.stringify(get().recipe)) forgetNote(song);
    else if (!movement) set({ unkept });
  }, ORPHAN_MS);
}
