/** Edits: heard and drawn at once; `saving.ts` keeps them. */
import { api } from "../api/client";
import type { Recipe, Revision } from "../api/types";
import { withoutLostRides } from "../tree/automation";
import { MASTER, stageOf } from "../tree/tree";
import { formatMoment } from "../ui/format";
import { chainOf, laneOf, setParam } from "./editing";
import type { Lane } from "./editing";
import { changed, forgetLeft, giveUp, openLabel, settle } from "./saving";
import { session, type Session } from "./session";
import { complain, readings, useBench } from "./store";

const get = useBench.getState;
const set = useBench.setState;

const SEND_MS = 25;

/** The number of the next state that is sent to be heard; blocks name it. */
export function nextRevision(): number {
  return ++session().sending.revision;
}

/** Change the recipe: heard and drawn at once, kept as a revision when the hand rests. */
export function edit(edited: Recipe, label: string, resting = false): void {
  if (edited === get().recipe || session().hand.takes(edited, label)) return;
  keep(edited, label, resting);
}

/** Make a recipe the present one, whatever a hand holds. */
export function keep(edited: Recipe, label: string, resting = false): void {
  // what is gone cannot move
  const recipe = withoutLostRides(edited);
  set({ recipe, saved: "saving" });
  readings.forget();
  changed(label, resting);
  sendSoon();
  // the live socket draws what it hears of
  if (!get().connected) describe();
}

/** Move one value, as a hand on its rule would. */
export function moveParam(id: string, name: string, value: number): void {
  const { recipe } = get();
  if (recipe) edit(setParam(recipe, id, name, value), name);
}

/** Hear and draw the recipe otherwise for as long as a key is held, edits too, without keeping that; null goes back. */
export function pretend(otherwise: ((recipe: Recipe) => Recipe) | null): void {
  session().sending.disguise = otherwise;
  sendSoon();
}

/** At once, and while more comes at most every 25 ms. */
function sendSoon(): void {
  const { sending } = session();
  const wait = Math.max(0, sending.at + SEND_MS - performance.now());
  if (wait === 0 && !sending.timer) send();
  else sending.timer ??= setTimeout(send, wait);
}

function send(): void {
  const { sending, sendEdit } = session();
  sending.timer = null;
  sending.at = performance.now();
  const { recipe } = get();
  const { disguise } = sending;
  // with its name the server holds it for us, should this browser be gone before it is kept
  if (recipe) sendEdit(disguise?.(recipe) ?? recipe, nextRevision(), disguise ? null : openLabel());
}

/** Another window was quicker: keep what was edited here as a version beside it. */
export async function keepMine(): Promise<void> {
  const { song, recipe } = get();
  if (!song || !recipe) return;
  try {
    const version = await api.keepBeside(song.id, `Mine, ${formatMoment(new Date()).slice(11)}`, recipe);
    await takeTheirs();
    set({ said: `What was edited here is the version “${version.name}” now.` });
  } catch (refused) {
    complain(refused);
  }
}

/** Another window was quicker: go on from what it left. */
export async function takeTheirs(): Promise<void> {
  giveUp();
  send();
  set({ conflict: false, problem: null });
  await session().openAgain();
}

/** Take a revision as the present state. */
export function stand(revision: Revision): void {
  giveUp();
  const { recipe } = revision;
  set({ revision, recipe, saved: "saved", also: [], ...standing(recipe, get().lane, get().selected) });
  readings.forget();
  sendSoon();
  describe();
}

/** Where one stands in a recipe: the lane and stage that were chosen, or near them. */
export function standing(
  recipe: Recipe,
  lane: Lane,
  selected: string | null,
): { lane: Lane; selected: string | null } {
  if (stageOf(recipe, selected)) return { lane: laneOf(recipe, selected), selected };
  const chain = chainOf(recipe, lane);
  const there = chain === recipe.master ? MASTER : lane;
  return {
    lane: there,
    selected: (chain.find((stage) => stage.kind === "compressor") ?? chain[0])?.id ?? null,
  };
}

/** Take up edits that this browser held because no server had them. */
export function takeUp(): void {
  const { unkept, song } = get();
  set({ unkept: null });
  if (unkept && unkept.song === song?.id) edit(unkept.recipe, unkept.label, true);
}

/** Give up edits that this browser held. */
export function leaveUnkept(): void {
  const { song } = get();
  set({ unkept: null });
  if (song) forgetLeft(song);
}

export function step(direction: "undo" | "redo"): Promise<void> {
  return goTo((song) => api[direction](song));
}

/** Make an earlier state the present one; undo takes that back. */
export function returnTo(revision: number): Promise<void> {
  return goTo((song) => api.returnTo(song, revision));
}

/** Let the server go to another state of the song, when it has gone where it was sent before: answers keep their order. */
function goTo(move: (song: number) => Promise<Revision>): Promise<void> {
  const mine = session();
  mine.keeping.going = mine.keeping.going.then(() => go(mine, move));
  return mine.keeping.going;
}

/** Go when everything is kept. */
async function go(mine: Session, move: (song: number) => Promise<Revision>): Promise<void> {
  const { song } = get();
  if (!song || mine !== session()) return;
  try {
    await mine.hand.end();
    await settle();
    if (mine !== session()) return;
    if (get().saved === "failed") {
      complain("The last edit is not kept yet, so that nothing was undone; it is tried again.");
      return;
    }
    const bounces = get().revision?.bounces;
    const there = await move(song.id);
    if (mine !== session()) return;
    if (there.bounces === bounces) stand(there);
    else await mine.openAgain();
  } catch (refused) {
    complain(refused);
  }
}

/** Summaries and pictures of the recipe as it is now; at most one request is under way. */
export function describe(): void {
  const { sending } = session();
  sending.describing ??= describeAll().finally(() => {
    sending.describing = null;
  });
}

async function describeAll(): Promise<void> {
  const mine = session();
  const { sending } = mine;
  for (
    let { recipe, song } = get();
    recipe && song && recipe !== sending.described;
    { recipe, song } = get()
  ) {
    sending.described = recipe;
    try {
      const found = await api.describe(recipe, song.rate_hz);
      if (mine !== session()) return;
      set({ described: found });
    } catch {
      // what is drawn stays; the edit itself is refused, and says so, when it is kept
    }
    if (mine !== session()) return;
  }
}
