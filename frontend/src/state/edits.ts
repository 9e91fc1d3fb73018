/** Edits: heard and drawn at once; `saving.ts` keeps them. */
import { api } from "../api/client";
import type { Recipe, Revision } from "../api/types";
import { withoutLostRides } from "../tree/rides";
import { MASTER, stageOf } from "../tree/tree";
import { formatMoment } from "../ui/format";
import { chainOf, laneOf, setParam } from "./editing";
import type { Lane } from "./editing";
import { changed, forgetLeft, giveUp, onRefused, openLabel, settle } from "./saving";
import { complain, readings, useBench } from "./store";

const get = useBench.getState;
const set = useBench.setState;

const SEND_MS = 25;

/** How an edit reaches the ear; the player puts itself here. */
let sendEdit: (recipe: Recipe, revision: number, label: string | null) => void = () => undefined;

export function onEdit(send: typeof sendEdit): void {
  sendEdit = send;
}

let revisionHeard = 0;

/** The number of the next state that is sent to be heard; blocks name it. */
export function nextRevision(): number {
  return ++revisionHeard;
}

/** What moves ridden values takes edits up before they become any; `end` writes down what it holds. */
interface Hand {
  takes: (edited: Recipe, label: string) => boolean;
  end: () => Promise<void>;
}
let hand: Hand = { takes: () => false, end: () => Promise.resolve() };

export function onHand(taken: Hand): void {
  hand = taken;
}

let sentAt = 0;
let sendTimer: ReturnType<typeof setTimeout> | null = null;

/** Change the recipe: heard and drawn at once, kept as a revision when the hand rests. */
export function edit(edited: Recipe, label: string, resting = false): void {
  if (edited === get().recipe || hand.takes(edited, label)) return;
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

let disguise: ((recipe: Recipe) => Recipe) | null = null;

/** Hear and draw the recipe otherwise for as long as a key is held, edits too, without keeping that; null goes back. */
export function pretend(otherwise: typeof disguise): void {
  disguise = otherwise;
  sendSoon();
}

/** At once, and while more comes at most every 25 ms. */
function sendSoon(): void {
  const wait = Math.max(0, sentAt + SEND_MS - performance.now());
  if (wait === 0 && !sendTimer) send();
  else sendTimer ??= setTimeout(send, wait);
}

function send(): void {
  sendTimer = null;
  sentAt = performance.now();
  const { recipe } = get();
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
  await openAgain();
}

let openAgain: () => Promise<void> = () => Promise.resolve();

/** How the song is opened anew: a step back or forth brings other files, or another window has gone on. */
export function onOpenAgain(open: typeof openAgain): void {
  openAgain = open;
}

/** Take a revision as the present state. */
function stand(revision: Revision): void {
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

onRefused(stand);

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

/** Let the server go to another state of the song, when everything is kept. */
async function goTo(move: (song: number) => Promise<Revision>): Promise<void> {
  const { song } = get();
  if (!song) return;
  try {
    await hand.end();
    await settle();
    if (get().saved === "failed") {
      complain("The last edit is not kept yet, so that nothing was undone; it is tried again.");
      return;
    }
    const bounces = get().revision?.bounces;
    const there = await move(song.id);
    if (there.bounces === bounces) stand(there);
    else await openAgain();
  } catch (refused) {
    complain(refused);
  }
}

let describing: Promise<void> | null = null;
let described: Recipe | null = null;

/** Summaries and pictures of the recipe as it is now; at most one request is under way. */
export function describe(): void {
  describing ??= describeAll().finally(() => {
    describing = null;
  });
}

async function describeAll(): Promise<void> {
  for (let { recipe, song } = get(); recipe && song && recipe !== described; { recipe, song } = get()) {
    described = recipe;
    try {
      const found = await api.describe(recipe, song.rate_hz);
      if (get().song?.id === song.id) set({ described: found });
    } catch {
      // what is drawn stays; the edit itself is refused, and says so, when it is kept
    }
  }
}
