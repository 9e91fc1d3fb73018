/** Riding by hand: what is moved while the song plays is heard at once, and written down where it was heard. */
import { create } from "zustand";
import { api } from "../api/client";
import type { Recipe, Take, Touch } from "../api/types";
import type { Began } from "../live/player.worklet";
import type { BlockHead } from "../live/protocol";
import { rideOf, timed, valueAt } from "../tree/valueCurve";
import { declaredAt } from "../tree/declarations";
import { touchedBetween } from "../tree/changedValues";
import { keep, nextRevision } from "./edits";
import { isPressed, watchPointer } from "./heldValue";
import { heardSong } from "./listening";
import { emptyHanded, session } from "./session";
import { complain, useBench } from "./store";
import { Heard, takesOf } from "./recordings";

export type Mode = "latch" | "touch" | "trim";

interface Riding {
  armed: boolean;
  mode: Mode;
  again: Take["again"];
  /** what is in the hand, or was and is heard still */
  held: Touch[];
  /** what was recorded of each value so far: song frames and values, by its id and path */
  traces: Record<string, [frame: number, value: Touch["value"]][]>;
  /** the hand let go of values that are ridden, and nobody has said yet what is to become of it */
  offered: boolean;
  /** the value whose sections are shown as a table */
  table: { target: string; param: string } | null;
}

export const useRiding = create<Riding>(() => ({
  armed: false,
  mode: "latch",
  again: "writes over",
  held: [],
  traces: {},
  offered: false,
  table: null,
}));

const get = useRiding.getState;
const set = useRiding.setState;
const SEND_MS = 25;
/** A hand that is not seen to be pressed has let go after so long. */
const IDLE_MS = 350;
/** So long a state that was sent may take to be heard. */
const PATIENCE_MS = 600;

export const keyOf = ({ target, param }: { target: string; param: string }) => `${target} ${param}`;

/** Watch for the hand that lets go; returns how to stop that. */
export function watchHand(): () => void {
  return watchPointer(() => {
    if (session().riding.holding.size) letGoSoon();
  });
}

export function arm(armed: boolean): void {
  if (!armed) void end();
  set({ armed });
}

export function setMode(mode: Mode): void {
  set({ mode });
}

export function setAgain(again: Take["again"]): void {
  set({ again });
}

/** A ride's value where the song is heard; null where the value rests. */
export function riddenNow(recipe: Recipe, target: string, param: string): Touch["value"] | null {
  const ride = rideOf(recipe, target, param);
  const { song, stages } = useBench.getState();
  if (!ride || !song || !stages) return null;
  const log = declaredAt(stages, recipe, target, param)?.param.scale === "log";
  return valueAt(timed(ride.points, recipe.sections), heardSong() / song.rate_hz, log);
}

/** Whether an edit is a hand on values that are recorded or ridden; it is heard then, and not kept yet. */
export function takes(edited: Recipe, label: string): boolean {
  const { recipe, playing, stages } = useBench.getState();
  const { riding } = session();
  if (!recipe || !stages) return false;
  if (riding.ending) {
    // the hand that still moves as the take ends moves nothing any more
    if (!touchedBetween(recipe, edited)) complain(`${label}: the take is being written; do that again.`);
    return true;
  }
  const records = get().armed && playing;
  if (!records && recipe.automation.length === 0) return false;
  const touches = touchedBetween(recipe, edited);
  if (records) {
    const fixed = touches?.find((touch) => !declaredAt(stages, recipe, touch.target, touch.param));
    if (!touches || fixed) {
      complain(
        touches
          ? `${label}: this cannot move while the song plays; stop riding (T) to set it for the whole song.`
          : `${label}: only values are recorded; stop riding (T) for anything else.`,
      );
      return true;
    }
  } else if (!touches?.some(({ target, param }) => rideOf(recipe, target, param))) {
    // anything else is done: the rides go on
    if (riding.holding.size) leaveRiding(false);
    return false;
  }
  if (riding.holding.size && riding.recording !== records) leaveRiding();
  riding.base ??= recipe;
  riding.recording = records;
  for (const touch of touches) hold(touch, recipe);
  useBench.setState({ recipe: edited });
  set({ offered: false });
  show();
  sendSoon();
  letGoSoon();
  return true;
}

function hold(touch: Touch, recipe: Recipe): void {
  const { riding } = session();
  const key = keyOf(touch);
  let held = riding.holding.get(key);
  if (!held) {
    const from =
      riding.recording && get().mode === "trim" ? riddenNow(recipe, touch.target, touch.param) : null;
    held = {
      touch: { ...touch, trim_from: typeof from === "number" ? from : null },
      moves: [],
      released: null,
    };
    riding.holding.set(key, held);
    riding.all.push(held);
  }
  held.touch = { ...held.touch, value: touch.value };
  riding.changed.add(held);
}

function show(): void {
  const { recording, changed, holding } = session().riding;
  if (recording) {
    const frame = heardSong();
    const traces = { ...get().traces };
    for (const { touch } of changed)
      traces[keyOf(touch)] = [...(traces[keyOf(touch)] ?? []), [frame, touch.value]];
    set({ traces });
  }
  set({ held: [...holding.values()].map(({ touch }) => touch) });
}

/** At once, and while more comes at most every 25 ms. */
function sendSoon(): void {
  const { riding } = session();
  if (riding.timer) return;
  const wait = riding.sentAt + SEND_MS - performance.now();
  if (wait <= 0) send();
  else riding.timer = setTimeout(send, wait);
}

function send(): void {
  const { riding, player } = session();
  riding.timer = null;
  riding.sentAt = performance.now();
  const revision = nextRevision();
  for (const held of riding.changed) held.moves.push({ revision, value: held.touch.value });
  for (const held of riding.leaving) {
    held.released = revision;
    riding.holding.delete(keyOf(held.touch));
  }
  riding.changed = new Set();
  if (riding.leaving.size) show();
  riding.leaving = new Set();
  const touches = [...riding.holding.values()].map(({ touch }) => touch);
  player?.ask({ type: "touches", touches, revision });
}

/** When the hand is not pressed any more and has not moved for a while. */
function letGoSoon(): void {
  const { riding } = session();
  if (riding.idle) clearTimeout(riding.idle);
  riding.idle = isPressed() ? null : setTimeout(letGo, IDLE_MS);
}

function letGo(): void {
  const { riding } = session();
  riding.idle = null;
  if (isPressed() || riding.holding.size === 0) return;
  if (!riding.recording) {
    set({ offered: true });
    return;
  }
  // a switch that went back by itself would be none
  const returns = [...riding.holding.values()].filter(({ touch }) => typeof touch.value === "number");
  if (get().mode === "latch" || returns.length === 0) return;
  for (const held of returns) riding.leaving.add(held);
  sendSoon();
}

function forget(): void {
  const { riding, player } = session();
  for (const timer of [riding.timer, riding.idle]) if (timer) clearTimeout(timer);
  const { ending, sentAt } = riding;
  Object.assign(riding, { ...emptyHanded(), ending, sentAt });
  set({ held: [], traces: {}, offered: false });
  player?.ask({ type: "touches", touches: [], revision: nextRevision() });
}

/** The hand's value is given up, and the rides go on; `back` where the recipe is as before, too. */
export function leaveRiding(back = true): void {
  const before = session().riding.base;
  if (back && before) useBench.setState({ recipe: before });
  forget();
}

/** Shift the rides as far as the hand moved, or write its value in their place. */
export async function keepTouch(how: "trim" | "over"): Promise<void> {
  const mine = session();
  const from = mine.riding.base;
  if (!from) return;
  const touches = get().held.map((touch) => ({
    ...touch,
    trim_from: how === "trim" ? asNumber(riddenNow(from, touch.target, touch.param)) : null,
  }));
  try {
    const found = await api.touched(from, touches);
    if (mine !== session()) return;
    keep(
      found,
      `${namesOf(touches)}: ${how === "trim" ? "automation trimmed" : "automation overwritten"}`,
      true,
    );
    forget();
  } catch (refused) {
    leaveRiding();
    complain(refused);
  }
}

function asNumber(value: Touch["value"] | null): number | null {
  return typeof value === "number" ? value : null;
}

function namesOf(touched: { target: string; param: string }[]): string {
  const { stages, recipe } = useBench.getState();
  const named = touched.map(({ target, param }) => {
    const found = stages && recipe && declaredAt(stages, recipe, target, param);
    return found ? `${found.title} ${found.param.label.toLowerCase()}` : param;
  });
  return [...new Set(named)].join(", ");
}

/** End the take: what was held is written into the rides, in one step. */
export function end(): Promise<void> {
  const { riding } = session();
  if (riding.ending) return riding.ending;
  riding.songHeard = heardSong();
  if (!riding.recording || riding.all.length === 0) {
    if (riding.holding.size) leaveRiding();
    return Promise.resolve();
  }
  riding.ending = write().finally(() => {
    riding.ending = null;
  });
  return riding.ending;
}

async function write(): Promise<void> {
  const { song } = useBench.getState();
  const { riding } = session();
  const from = riding.base;
  const end = { position: Infinity, song: riding.songHeard };
  if (riding.changed.size) send();
  const last = Math.max(
    0,
    ...riding.all.flatMap(({ moves, released }) => [...moves.map((m) => m.revision), released ?? 0]),
  );
  for (const until = performance.now() + PATIENCE_MS; !riding.heard.spot(last) && performance.now() < until;)
    await new Promise((resolve) => setTimeout(resolve, 20));
  try {
    const takes = song && from ? takesOf(riding.all, riding.heard, end, song.rate_hz, get().again) : [];
    if (!from || !song || takes.length === 0) {
      leaveRiding();
      return;
    }
    const found = await api.take(from, takes);
    keep(found, `Ride of ${namesOf(takes)}`, true);
    forget();
  } catch (refused) {
    leaveRiding();
    complain(refused);
  }
}

/** A block came, to be heard soon. */
export function blockCame(head: BlockHead): void {
  const { riding } = session();
  const jumped = riding.heard.epoch >= 0 && head.epoch !== riding.heard.epoch;
  // a jump ends the take: what comes after it is another passage of the song
  if (jumped && riding.recording) void end();
  else if (jumped) riding.heard = new Heard();
  riding.heard.block(head);
}

/** A state that was sent is heard for the first time. */
export function stateBegan(began: Began): void {
  session().riding.heard.begin(began);
}

useBench.subscribe(({ playing }, before) => {
  if (session().riding.recording && before.playing && !playing) void end();
});
