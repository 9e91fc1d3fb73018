/** Playing, comparing and ways of listening. Nothing here ever changes the recipe. */
import { api } from "../api/client";
import type { Grid, Listening, Match, Matched, Recipe } from "../api/types";
import type { Ask, Tap } from "../live/protocol";
import type { Lane } from "./editing";
import { chainOf, laneOf } from "./editing";
import { stageOf } from "../tree/tree";
import { estimated, pairOf, withoutNow } from "./loudnessMatch";
import { session } from "./session";
import { complain, kindInfo, PLAIN, useBench } from "./store";
import type { Heard, Span } from "./store";

const get = useBench.getState;
const set = useBench.setState;

export const DIM_DB = -20;
export const WITHOUT_CHAIN = "without:*";
const ESTIMATE_MS = 2000;
/** While a hand moves what makes louder, and until the sound has settled, estimates are taken up this often. */
const MOVING_ESTIMATE_MS = 80;
const MOVING_MS = 1000;
const MOST_AT_HAND = 4;
function ask(asked: Ask): void {
  session().player?.ask(asked);
}

/** Tell a new player what holds whatever is open, before anything of it is heard. */
export function greetPlayer(): void {
  const { listening, lookedAt, atHand } = get();
  ask({ type: "choose", stage: lookedAt });
  ask({ type: "hand", others: atHand });
  ask({ type: "listen", listening, lufs: [null, null] });
  applyGains();
}

// ---- comparing ----------------------------------------------------------------------------------------------------

function applyGains(): void {
  const { match, matched, monitorDb, dim, heard } = get();
  const gain = (db: number) => 10 ** (db / 20);
  session().player?.set({
    other: heard === "now" ? null : heard,
    nowGain: matched ? gain(match.now_db) : 1,
    otherGain: matched ? gain(match.other_db) : 1,
    monitorGain: gain(monitorDb + (dim ? DIM_DB : 0)),
  });
}

/** The chosen stage was moved. */
export function noteMove(edited: Recipe): void {
  if (kindInfo(stageOf(edited, get().selected)?.kind ?? "")?.louder)
    session().matching.movedAt = performance.now();
}

/** Take up an estimate of equal loudness where no survey knows better; `near` is of the last moment alone. */
export function estimateMatch(settled: Match | null, near: Match | null): void {
  const { matching } = session();
  const moving = get().matchMoving && performance.now() - matching.movedAt < MOVING_MS;
  const match = moving ? near : settled;
  if (!match) return;
  // an estimate may not creep while one listens: it is taken up now and then, and yields to the survey's figure; while
  // a hand moves what makes louder it follows the hand
  const wait = moving ? MOVING_ESTIMATE_MS : ESTIMATE_MS;
  // nothing is turned down to what coding adds
  if (get().other.startsWith("added:")) return;
  if (get().tap !== "result" || performance.now() - matching.estimatedAt < wait) return;
  matching.estimatedAt = performance.now();
  const pair = estimated(get().match, match, moving);
  if (pair === get().match) return;
  set({ match: pair });
  applyGains();
}

/** Take what surveys know of equal loudness; null where now was edited since, or another passage is heard. */
export function knowGains(matched: Matched | null): void {
  const { matching } = session();
  const known = (matching.known = matched ?? withoutNow(matching.known));
  ask({ type: "gains", gains_db: known.gains_db });
  set({ match: pairOf(known, get().other, get().match) });
  applyGains();
  // the service turns down by the whole song's loudness
  if (get().listening.place === "streaming") listenAs({});
}

/** Hear now, or what it is compared with; the player goes over as soon as the sound is there. */
export function compare(heard: Heard): void {
  if (heard !== "now" && heard !== get().other) {
    set({ other: heard, match: pairOf(session().matching.known, heard, get().match) });
    ask({ type: "compare", other: heard });
    listenAs({});
  }
  set({ heard });
  applyGains();
}

/** What stood beside now is gone: it is compared with what was received again. */
export function stopComparing(gone: Heard): void {
  if (gone !== get().other) return;
  compare("received");
  compare("now");
}

/** What stands beside now was changed: a reference has another passage. */
export function refreshOther(changed: Heard): void {
  if (changed === get().other) ask({ type: "compare", other: changed });
}

/** Hear something under another name; the bench does not show what it is. */
export function hearBlind(heard: Heard, called: string): void {
  set({ blind: called });
  compare(heard);
}

export function endBlind(): void {
  set({ blind: null });
}

/** Keep what may be compared next at hand, so that it is heard at once; a reference needs no keeping. */
export function keepAtHand(others: Heard[]): void {
  const wanted = others.filter((name) => !/^(now|reference)/.test(name)).slice(0, MOST_AT_HAND);
  if (wanted.join() === get().atHand.join()) return;
  set({ atHand: wanted });
  ask({ type: "hand", others: wanted });
}

/** Have the spectra inside a stage measured, as long as one looks at them. */
export function lookInside(stage: string | null): void {
  set({ lookedAt: stage });
  ask({ type: "choose", stage });
}

export function setMatched(matched: boolean): void {
  set({ matched });
  applyGains();
}

// ---- ways of listening --------------------------------------------------------------------------------------------

/** Listen otherwise: fold, range, place, solo. */
export function listenAs(change: Partial<Listening>): void {
  const listening = { ...get().listening, ...change };
  set({ listening });
  const { integrated_lufs } = session().matching.known;
  const lufs = ["now", get().other].map((name) => integrated_lufs[name] ?? null);
  ask({ type: "listen", listening, lufs });
}

export function plainResult(): void {
  listen("result");
  listenAs({ ...PLAIN, low_hz: get().listening.low_hz, high_hz: get().listening.high_hz });
  compare("now");
}

export function listen(tap: Tap): void {
  set({ tap });
  ask({ type: "tap", stage: tap === "result" ? null : get().selected, tap });
}

export function setMonitor(monitorDb: number): void {
  set({ monitorDb: Math.max(-60, Math.min(0, monitorDb)) });
  applyGains();
}

export function toggleDim(): void {
  set({ dim: !get().dim });
  applyGains();
}

export function setMatchMoving(matchMoving: boolean): void {
  set({ matchMoving });
  localStorage.setItem("match-moving", matchMoving ? "on" : "off");
}

export function setQueue(queueMs: number): void {
  set({ queueMs });
  session().player?.setQueue(queueMs);
}

// ---- where --------------------------------------------------------------------------------------------------------

export function setPlaying(playing: boolean): void {
  set({ playing });
  session().player?.set({ playing });
  if (!playing) keepView();
}

/** The sound has ended. */
export function stopAtEnd(): void {
  setPlaying(false);
  ask({ type: "seek", song: 0 });
}

export function heardSong(): number {
  return session().player?.now()?.song ?? get().song?.view.song ?? 0;
}

export function seek(song: number): void {
  const { song: open, loop } = get();
  if (!open) return;
  const to = Math.round(Math.max(0, Math.min(song, open.frames - 1)));
  if (loop && (to < loop[0] || to >= loop[1])) setLoop(null);
  ask({ type: "seek", song: to });
  keepView(to);
}

/** Tempo and bars as they were tapped; null goes back to what was found. */
export function setGrid(grid: Grid | null): void {
  set({ grid });
  keepView();
}

export function setLoop(loop: Span | null): void {
  set({ loop });
  ask({ type: "loop", loop });
  keepView();
}

export function select(selected: string | null): void {
  if (get().tap !== "result") listen("result");
  const { recipe } = get();
  set({ selected, also: [], lane: recipe && selected ? laneOf(recipe, selected) : get().lane });
  keepView();
}

export function openLane(lane: Lane): void {
  const { recipe } = get();
  if (!recipe) return;
  if (get().tap !== "result") listen("result");
  set({ lane, selected: chainOf(recipe, lane)[0]?.id ?? null, also: [] });
  keepView();
}

/** Show a part of the song on the map, at least 64 frames; null shows all of it. */
export function setView(view: Span | null): void {
  const { song } = get();
  if (!song || view === null || view[1] - view[0] >= song.frames) {
    set({ view: null });
    return;
  }
  const width = Math.max(64, Math.round(view[1] - view[0]));
  const from = Math.round(Math.max(0, Math.min(view[0], song.frames - width)));
  set({ view: [from, from + width] });
}

function keepView(at?: number): void {
  const { view } = session();
  view.at = at;
  if (view.timer) clearTimeout(view.timer);
  view.timer = setTimeout(saveView, 500);
}

/** What is to be kept of how the bench is left is kept now: another song is going to be there. */
export function saveView(): void {
  const { view, player } = session();
  if (view.timer === null) return;
  clearTimeout(view.timer);
  view.timer = null;
  const { song, selected, loop, lane, grid } = get();
  const position = view.at ?? player?.now()?.song ?? 0;
  if (song && song.id > 0)
    api.view(song.id, { stage: selected, lane, loop, grid, song: Math.round(position) }).catch(complain);
}

const TRY_S = 8;

/** Loop a few seconds from where the song is heard. */
export function loopFromHere(): void {
  const { song } = get();
  if (!song) return;
  const length = Math.min(song.frames, TRY_S * song.rate_hz);
  const from = Math.min(Math.round(heardSong()), song.frames - length);
  setLoop([from, from + length]);
}
