/** Playing, comparing and ways of listening. Nothing here ever changes the recipe. */
import { api } from "../api/client";
import type { Grid, Listening, Match, Matched, Param, Recipe, Song, Stages } from "../api/types";
import { LivePlayer } from "../live/player";
import type { PlayerEvents } from "../live/player";
import type { Began } from "../live/player.worklet";
import type { BlockHead, Tap } from "../live/protocol";
import type { Lane } from "./editing";
import { chainOf, laneOf } from "./editing";
import { MASTER, stageOf } from "../tree/tree";
import { describe, moveParam, onOpenAgain, onEdit, standing } from "./edits";
import { lookForUnkept, settle } from "./saving";
import { carried } from "../ui/scale";
import { estimated, pairOf, UNKNOWN, UNMATCHED, withoutNow } from "./matching";
import { complain, kindInfo, PLAIN, readings, useBench } from "./store";
import type { Heard, Span } from "./store";

const get = useBench.getState;
const set = useBench.setState;

export const DIM_DB = -20;
export const WITHOUT_CHAIN = "without:*";
const ESTIMATE_MS = 2000;
/** While a hand moves what makes louder, and until the sound has settled, estimates are taken up this often. */
const MOVING_ESTIMATE_MS = 250;
const MOVING_MS = 3000;
const MOST_AT_HAND = 4;
/** What is done to a sound that is no song: nothing. */
const EMPTY: Recipe = {
  format: "tin-kettle-recipe",
  version: 1,
  buses: [{ id: "mix", name: "Mix", group: null, chain: [], gain_db: 0, pan: 0, muted: false }],
  groups: [],
  master: [],
  sections: [],
  automation: [],
};

/** The one player; tests reach it as `window.tinKettle.player`. */
let player: LivePlayer | null = null;

export function currentPlayer(): LivePlayer | null {
  return player;
}

function inAddress(what: "songs" | "records"): number | null {
  const found = new RegExp(`^/${what}/(\\d+)$`).exec(window.location.pathname);
  return found ? Number(found[1]) : null;
}

/** The song that the page's address names. */
export function addressed(): number | null {
  return inAddress("songs");
}

export function addressedRecord(): number | null {
  return inAddress("records");
}

let opening = 0;
let onRendered: (head: BlockHead) => void = () => undefined;
let onBegan: (began: Began) => void = () => undefined;
let letGo: () => Promise<void> = () => Promise.resolve();

/** What records needs to know of every block that comes, and writes down what it holds before another song opens. */
export function onBlocks(rendered: typeof onRendered, began: typeof onBegan, end: typeof letGo): void {
  onRendered = rendered;
  onBegan = began;
  letGo = end;
}

/** What is true of anything that has just been opened. */
const UNHEARD = {
  described: {},
  saved: "saved",
  playing: false,
  heard: "now",
  other: "received",
  view: null,
  foundGrid: null,
  tap: "result",
  listening: PLAIN,
  connected: false,
  underruns: 0,
  work: { heavy: false, progress: null },
  match: UNMATCHED,
  blind: null,
  conflict: false,
  unkept: null,
  also: [],
} satisfies Partial<ReturnType<typeof get>>;

const PLAYING: Omit<PlayerEvents, "heard"> = {
  connected: (connected) => set({ connected }),
  problem: (problem) => set({ problem }),
  underruns: (underruns) => set({ underruns }),
  rendered: (head) => onRendered(head),
  began: (began) => onBegan(began),
  described: (stages) => set({ described: { ...get().described, ...stages } }),
  work: ({ heavy, progress }) => set({ work: { heavy, progress } }),
};

/** The controls of every kind, within what a rate carries. */
function declaredAt(declared: Stages, rateHz: number): Stages {
  const within = (params: Param[]) => params.map((param) => carried(param, rateHz));
  return {
    kinds: declared.kinds.map((kind) => ({
      ...kind,
      params: within(kind.params),
      items: Object.fromEntries(
        Object.entries(kind.items).map(([name, item]) => [name, { ...item, params: within(item.params) }]),
      ),
    })),
    shared: declared.shared,
    split: declared.split,
  };
}

/** Leave the song that is open for a record; what is played of it is opened by `playSound`. */
export async function openRecord(id: number): Promise<void> {
  const mine = ++opening;
  await letGo();
  await settle();
  if (mine !== opening) return;
  saveView();
  player?.close();
  player = null;
  onEdit(() => undefined);
  set({ record: id, loop: null, selected: null, grid: null, ...UNHEARD });
  known = UNKNOWN;
  if (addressedRecord() !== id) window.history.pushState(null, "", `/records/${id}`);
}

/** Play a sound that is no song of its own, from a frame on. */
export function playSound(path: string, sound: Pick<Song, "rate_hz" | "frames" | "title">, at: number): void {
  const { playing, listening, song } = get();
  player?.close();
  const frames = sound.frames;
  set({ song: { ...song!, ...sound, id: 0, sources: {}, view: {} }, recipe: EMPTY, revision: null });
  player = new LivePlayer(path, sound.rate_hz, get().queueMs, {
    ...PLAYING,
    heard: ({ head, meters }) => {
      readings.take(head, meters);
      if (get().loop === null && head.song >= frames) stopAtEnd();
    },
  });
  readings.reset(frames);
  Object.assign(window, {
    tinKettle: { player, state: get, act: { setMonitor, setQueue, setLoop, listenAs } },
  });
  player.ask({ type: "seek", song: Math.round(Math.max(0, Math.min(at, frames - 1))) });
  player.ask({ type: "listen", listening, lufs: [null, null] });
  applyGains();
  if (playing) player.set({ playing });
}

export async function openSong(id: number): Promise<void> {
  const mine = ++opening;
  await letGo();
  // what was edited of the song before is kept first
  await settle();
  const [declared, song] = await Promise.all([api.stages(), api.song(id)]);
  // and what was edited of it meanwhile
  await settle();
  // of several that were asked for the last one counts, however long the first one takes
  if (mine !== opening) return;
  saveView();
  set({ stages: declaredAt(declared, song.rate_hz) });
  player?.close();
  const { recipe } = song.revision;
  set({
    record: null,
    song,
    recipe,
    revision: song.revision,
    ...standing(recipe, song.view.lane ?? MASTER, song.view.stage ?? null),
    loop: song.view.loop ?? null,
    grid: song.view.grid ?? null,
    ...UNHEARD,
  });
  known = UNKNOWN;
  readings.reset(song.frames);
  player = new LivePlayer(`/songs/${id}/live`, song.rate_hz, get().queueMs, {
    ...PLAYING,
    heard: ({ head, meters }) => {
      readings.take(head, meters);
      if (meters.match && meters.other_name === get().other) estimateMatch(meters.match);
      if (get().loop === null && head.song >= song.frames + meters.tail) stopAtEnd();
    },
  });
  onEdit((edited, revision) => {
    player?.ask({ type: "edit", recipe: edited, revision });
    if (kindInfo(stageOf(edited, get().selected)?.kind ?? "")?.louder) movedAt = performance.now();
  });
  onOpenAgain(() => openSong(id));
  const act = { setMonitor, setMatched, setQueue, setLoop, compare, listenAs, move: moveParam };
  Object.assign(window, { tinKettle: { player, state: get, act } });
  if (song.view.song) player.ask({ type: "seek", song: song.view.song });
  if (get().loop) player.ask({ type: "loop", loop: get().loop });
  player.ask({ type: "choose", stage: lookedAt });
  player.ask({ type: "hand", others: atHand });
  applyGains();
  describe();
  lookForUnkept(song);
  localStorage.setItem("song", String(id));
  if (addressed() !== id) window.history.pushState(null, "", `/songs/${id}`);
}

// ---- comparing ----------------------------------------------------------------------------------------------------

/** What surveys know of equal loudness. */
let known: Matched = UNKNOWN;

function applyGains(): void {
  const { match, matched, monitorDb, dim, heard } = get();
  const gain = (db: number) => 10 ** (db / 20);
  player?.set({
    other: heard === "now" ? null : heard,
    nowGain: matched ? gain(match.now_db) : 1,
    otherGain: matched ? gain(match.other_db) : 1,
    monitorGain: gain(monitorDb + (dim ? DIM_DB : 0)),
  });
}

let estimatedAt = 0;
/** When a stage that makes louder was moved last. */
let movedAt = -Infinity;

function estimateMatch(match: Match): void {
  const moving = get().matchMoving && performance.now() - movedAt < MOVING_MS;
  // an estimate may not creep while one listens: it is taken up now and then, and yields to the survey's figure; while
  // a hand moves what makes louder it follows the hand
  const wait = moving ? MOVING_ESTIMATE_MS : ESTIMATE_MS;
  // nothing is turned down to what coding adds
  if (get().other.startsWith("added:")) return;
  if (get().tap !== "result" || performance.now() - estimatedAt < wait) return;
  estimatedAt = performance.now();
  const pair = estimated(get().match, match, moving);
  if (pair === get().match) return;
  set({ match: pair });
  applyGains();
}

/** Take what surveys know of equal loudness; null where now was edited since, or another passage is heard. */
export function knowGains(matched: Matched | null): void {
  known = matched ?? withoutNow(known);
  player?.ask({ type: "gains", gains_db: known.gains_db });
  set({ match: pairOf(known, get().other, get().match) });
  applyGains();
  // the service turns down by the whole song's loudness
  if (get().listening.place === "streaming") listenAs({});
}

/** Hear now, or what it is compared with; the player goes over as soon as the sound is there. */
export function compare(heard: Heard): void {
  if (heard !== "now" && heard !== get().other) {
    set({ other: heard, match: pairOf(known, heard, get().match) });
    player?.ask({ type: "compare", other: heard });
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
  if (changed === get().other) player?.ask({ type: "compare", other: changed });
}

/** Hear something under another name; the bench does not show what it is. */
export function hearBlind(heard: Heard, called: string): void {
  set({ blind: called });
  compare(heard);
}

export function endBlind(): void {
  set({ blind: null });
}

let lookedAt: string | null = null;
let atHand: Heard[] = [];

/** Keep what may be compared next at hand, so that it is heard at once; a reference needs no keeping. */
export function keepAtHand(others: Heard[]): void {
  const wanted = others.filter((name) => !/^(now|reference)/.test(name)).slice(0, MOST_AT_HAND);
  if (wanted.join() === atHand.join()) return;
  atHand = wanted;
  player?.ask({ type: "hand", others: atHand });
}

/** Have the spectra inside a stage measured, as long as one looks at them. */
export function lookInside(stage: string | null): void {
  lookedAt = stage;
  player?.ask({ type: "choose", stage });
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
  const lufs = ["now", get().other].map((name) => known.integrated_lufs[name] ?? null);
  player?.ask({ type: "listen", listening, lufs });
}

export function plainResult(): void {
  listen("result");
  listenAs({ ...PLAIN, low_hz: get().listening.low_hz, high_hz: get().listening.high_hz });
  compare("now");
}

export function listen(tap: Tap): void {
  set({ tap });
  player?.ask({ type: "tap", stage: tap === "result" ? null : get().selected, tap });
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
  player?.setQueue(queueMs);
}

// ---- where --------------------------------------------------------------------------------------------------------

export function setPlaying(playing: boolean): void {
  set({ playing });
  player?.set({ playing });
  if (!playing) keepView();
}

function stopAtEnd(): void {
  setPlaying(false);
  player?.ask({ type: "seek", song: 0 });
}

export function heardSong(): number {
  return player?.now()?.song ?? get().song?.view.song ?? 0;
}

export function seek(song: number): void {
  const { song: open, loop } = get();
  if (!open) return;
  const to = Math.round(Math.max(0, Math.min(song, open.frames - 1)));
  if (loop && (to < loop[0] || to >= loop[1])) setLoop(null);
  player?.ask({ type: "seek", song: to });
  keepView(to);
}

/** Tempo and bars as they were tapped; null goes back to what was found. */
export function setGrid(grid: Grid | null): void {
  set({ grid });
  keepView();
}

export function setLoop(loop: Span | null): void {
  set({ loop });
  player?.ask({ type: "loop", loop });
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

let viewTimer: ReturnType<typeof setTimeout> | null = null;
let viewedAt: number | undefined;

function keepView(at?: number): void {
  viewedAt = at;
  if (viewTimer) clearTimeout(viewTimer);
  viewTimer = setTimeout(saveView, 500);
}

/** What is to be kept of how the bench is left is kept now: another song is going to be there. */
function saveView(): void {
  if (viewTimer === null) return;
  clearTimeout(viewTimer);
  viewTimer = null;
  const { song, selected, loop, lane, grid } = get();
  const position = viewedAt ?? player?.now()?.song ?? 0;
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
