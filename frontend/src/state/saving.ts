/** Keeping edits: twice a second while the hand moves, at once when it rests, and in the browser until the server has it. */
import { api, Refused } from "../api/client";
import type { Revision, Song, Unkept } from "../api/types";
import { isPressed } from "./heldValue";
import type { Movement } from "./session";
import { RETRY_MS, session } from "./session";
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
const LONGEST_PAUSE_MS = 30000;
const MOST_UNANSWERED = 50;

/** The recipe was edited: keep it soon, at once where the hand rests already. */
export function changed(label: string, resting: boolean): void {
  const { song, recipe } = get();
  if (!song || !recipe) return;
  // what is done at one stroke is a step of its own
  if (resting) rest();
  const { keeping } = session();
  const id = keeping.movement?.id ?? `${Date.now().toString(36)}-${Math.random().toString(36).slice(2)}`;
  keeping.movement = { song, id, label, recipe };
  if (resting) {
    rest();
    return;
  }
  if (keeping.restTimer) clearTimeout(keeping.restTimer);
  keeping.restTimer = setTimeout(restUnlessHeld, REST_MS);
  keeping.meanwhileTimer ??= setTimeout(saveMeanwhile, MEANWHILE_MS);
  keeping.noteTimer ??= setTimeout(note, NOTE_MS);
}

/** A hand that only pauses in a drag has not let go. */
function restUnlessHeld(): void {
  if (isPressed()) session().keeping.restTimer = setTimeout(restUnlessHeld, REST_MS);
  else rest();
}

/** The hand has let go: keep what it did. */
export function rest(): void {
  const { keeping } = session();
  if (!keeping.movement) return;
  note();
  keeping.waiting.push(keeping.movement);
  keeping.movement = null;
  stopTimers();
  save();
}

function stopTimers(): void {
  const { keeping } = session();
  const { restTimer, meanwhileTimer, noteTimer, againTimer } = keeping;
  for (const timer of [restTimer, meanwhileTimer, noteTimer, againTimer]) if (timer) clearTimeout(timer);
  keeping.restTimer = keeping.meanwhileTimer = keeping.noteTimer = keeping.againTimer = null;
}

/** What was edited and is not kept yet is given up. */
export function giveUp(): void {
  const { keeping } = session();
  keeping.movement = null;
  keeping.waiting = [];
  stopTimers();
  forgetNote(get().song);
}

/** Everything that was edited is kept when this is done. */
export async function settle(): Promise<void> {
  rest();
  const { keeping } = session();
  if (keeping.againTimer) save();
  await keeping.saving;
}

/** What was done last and is not kept yet. */
function last(): Movement | undefined {
  const { movement, waiting } = session().keeping;
  return movement ?? waiting.at(-1);
}

/** The page goes away: what is not kept yet is sent without waiting for an answer. */
export function saveLeaving(): void {
  const { song, revision } = get();
  const moved = last();
  if (!moved || !song || !revision) return;
  note();
  api.edit(song.id, written(moved, revision), true).catch(() => undefined);
}

/** What was done last and is not kept yet is called. */
export function openLabel(): string | null {
  return last()?.label ?? null;
}

function save(): void {
  const { keeping } = session();
  if (keeping.againTimer) clearTimeout(keeping.againTimer);
  keeping.againTimer = null;
  keeping.saving = keeping.saving.then(saveWaiting);
}

function written(
  { id, label, recipe }: Movement,
  { id: base, saves }: Revision,
): Parameters<typeof api.edit>[1] {
  return { base, saves, id, unanswered: session().keeping.unanswered, label, recipe };
}

/** While the hand moves on: the revision stays the one before, for all that asks what was measured of it. */
function saveMeanwhile(): void {
  const mine = session();
  const { keeping } = mine;
  keeping.meanwhileTimer = null;
  const moving = keeping.movement;
  if (!moving || get().conflict) return;
  // what waits before it goes first; a refusal is told when the hand rests and it is tried again
  keeping.saving = keeping.saving.then(async () => {
    const { revision } = get();
    if (keeping.waiting.length === 0 && revision && mine === session())
      await send(moving, revision).catch(() => undefined);
  });
}

function send(moved: Movement, base: Revision): Promise<Revision> {
  const { keeping } = session();
  if (!keeping.unanswered.includes(moved.id))
    keeping.unanswered = [...keeping.unanswered, moved.id].slice(-MOST_UNANSWERED);
  return api.edit(moved.song.id, written(moved, base));
}

/** Keep what waits, each movement as a step of its own, until one is refused. */
async function saveWaiting(): Promise<void> {
  // what another session could not keep lies in the browser, and is offered where its song is opened
  for (let [next] = session().keeping.waiting; next; [next] = session().keeping.waiting)
    if (!(await keep(next))) return;
}

/** Whether it is kept; what is not goes on waiting. */
async function keep(moved: Movement): Promise<boolean> {
  const { revision } = get();
  if (!revision) return false;
  const mine = session();
  const { keeping } = mine;
  const isHere = () => mine === session() && keeping.waiting.includes(moved);
  try {
    const there = await send(moved, revision);
    if (!isHere()) return false;
    keeping.waiting = keeping.waiting.filter((other) => other !== moved);
    keeping.pauseMs = RETRY_MS;
    // whatever came before is answered with it
    keeping.unanswered = [];
    const open = last() !== undefined;
    if (!open) forgetNote(moved.song);
    // only the number moves: what was edited meanwhile stays
    set({ revision: there, saved: open ? "saving" : "saved", problem: null });
    return true;
  } catch (problem) {
    if (!isHere()) return false;
    set({ saved: "failed" });
    complain(problem);
    const status = problem instanceof Refused ? problem.status : 0;
    if (status === 409) set({ conflict: true });
    else if (status === 400) {
      giveUp();
      mine.refused(revision);
    } else {
      // the server or its disk is in trouble: again, with growing pauses
      keeping.againTimer = setTimeout(save, keeping.pauseMs);
      keeping.pauseMs = Math.min(2 * keeping.pauseMs, LONGEST_PAUSE_MS);
    }
    return false;
  }
}

// ---- in the browser, until the server has it ------------------------------------------------------------------------

const noteName = (song: number) => `unkept:${song}`;

function note(): void {
  session().keeping.noteTimer = null;
  const moved = last();
  if (!moved) return;
  const unkept: Unkept = { song: moved.song.id, label: moved.label, recipe: moved.recipe, at: Date.now() };
  try {
    localStorage.setItem(noteName(moved.song.id), JSON.stringify(unkept));
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
  const mine = session();
  setTimeout(() => {
    // another window that is at work sees to its own
    if (mine !== session() || noted(song)?.at !== before?.at) return;
    if (JSON.stringify(unkept.recipe) === JSON.stringify(get().recipe)) forgetLeft(song);
    else if (last() === undefined) set({ unkept });
  }, ORPHAN_MS);
}
