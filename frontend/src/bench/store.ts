/** The bench's state: the song, its recipe as it is being edited, and how it is listened to. */
import { create } from "zustand";
import { api, Refused } from "../api/client";
import type { Described, KindInfo, Match, Param, Recipe, Revision, Song, Stages } from "../api/types";
import { LivePlayer } from "../live/player";
import type { Tap } from "../live/protocol";
import { setParam } from "./editing";
import { Readings } from "./readings";

export type Compared = "received" | "now";
export type Saved = "saved" | "saving" | "failed";

interface BenchState {
  stages: Stages | null;
  song: Song | null;
  recipe: Recipe | null;
  revision: Revision | null;
  described: Record<string, Described>;
  saved: Saved;
  selected: string | null;
  playing: boolean;
  compared: Compared;
  matched: boolean;
  match: Match;
  monitorDb: number;
  dim: boolean;
  loop: [number, number] | null;
  tap: Tap;
  connected: boolean;
  underruns: number;
  queueMs: number;
  problem: string | null;
}

export const useBench = create<BenchState>(() => ({
  stages: null,
  song: null,
  recipe: null,
  revision: null,
  described: {},
  saved: "saved",
  selected: null,
  playing: false,
  compared: "now",
  matched: true,
  match: { received_db: 0, now_db: 0, estimate: true },
  monitorDb: -6,
  dim: false,
  loop: null,
  tap: "result",
  connected: false,
  underruns: 0,
  queueMs: 200,
  problem: null,
}));

const get = useBench.getState;
const set = useBench.setState;

export const DIM_DB = -20;
const REST_MS = 350;
const SEND_MS = 25;
const RETRY_MS = 1500;
const ESTIMATE_MS = 2000;

/** The one player; tests reach it as `window.tinKettle.player`. */
let player: LivePlayer | null = null;
export const readings = new Readings();

export function currentPlayer(): LivePlayer | null {
  return player;
}

export function complain(problem: unknown): void {
  set({ problem: problem instanceof Error ? problem.message : String(problem) });
}

export function kindInfo(kind: string): KindInfo | undefined {
  return get().stages?.kinds.find((info) => info.kind === kind);
}

export function paramInfo(kind: string, name: string): Param | undefined {
  return kindInfo(kind)?.params.find((param) => param.name === name);
}

// ---- opening ------------------------------------------------------------------------------------------------------

export async function openSong(id: number): Promise<void> {
  const [stages, song] = await Promise.all([get().stages ?? api.stages(), api.song(id)]);
  player?.close();
  const { recipe } = song.revision;
  const selected = recipe.master.some((stage) => stage.id === song.view.stage)
    ? (song.view.stage ?? null)
    : ((recipe.master.find((stage) => stage.kind === "compressor") ?? recipe.master[0])?.id ?? null);
  set({
    stages,
    song,
    recipe,
    revision: song.revision,
    described: {},
    saved: "saved",
    selected,
    playing: false,
    compared: "now",
    loop: song.view.loop ?? null,
    tap: "result",
    connected: false,
    underruns: 0,
    match: { received_db: 0, now_db: 0, estimate: true },
  });
  readings.reset(song.frames);
  player = new LivePlayer(id, song.rate_hz, get().queueMs, {
    connected: (connected) => set({ connected }),
    problem: (problem) => set({ problem }),
    underruns: (underruns) => set({ underruns }),
    heard: ({ head, meters }) => {
      readings.take(head, meters);
      estimateMatch(meters.match);
      if (get().loop === null && head.song >= song.frames) stopAtEnd();
    },
  });
  Object.assign(window, {
    tinKettle: { player, state: get, act: { setMonitor, setMatched, compare, move: moveParam } },
  });
  if (song.view.song) player.ask({ type: "seek", song: song.view.song });
  if (get().loop) player.ask({ type: "loop", loop: get().loop });
  applyGains();
  describe();
  localStorage.setItem("song", String(id));
}

// ---- editing ------------------------------------------------------------------------------------------------------

let revisionHeard = 0;
let sentAt = 0;
let sendTimer: ReturnType<typeof setTimeout> | null = null;
let restTimer: ReturnType<typeof setTimeout> | null = null;
let unsaved: { label: string } | null = null;
let saving: Promise<void> = Promise.resolve();

/** Change the recipe: heard and drawn at once, kept as a revision when the hand rests. */
export function edit(recipe: Recipe, label: string, resting = false): void {
  if (recipe === get().recipe) return;
  set({ recipe, saved: "saving" });
  readings.forget();
  sendSoon();
  describe();
  unsaved = { label };
  if (restTimer) clearTimeout(restTimer);
  restTimer = setTimeout(save, resting ? 0 : REST_MS);
}

/** Move one value, as a hand on its rule would. */
function moveParam(id: string, name: string, value: number): void {
  const { recipe } = get();
  if (recipe) edit(setParam(recipe, id, name, value), name);
}

/** The hand has let go: keep what it did. */
export function rest(): void {
  if (!unsaved) return;
  if (restTimer) clearTimeout(restTimer);
  restTimer = setTimeout(save, 0);
}

/** At once, and while more comes at most every 25 ms. */
function sendSoon(): void {
  const wait = Math.max(0, sentAt + SEND_MS - performance.now());
  const send = () => {
    sendTimer = null;
    sentAt = performance.now();
    const { recipe } = get();
    if (recipe) player?.ask({ type: "edit", recipe, revision: ++revisionHeard });
  };
  if (wait === 0 && !sendTimer) send();
  else sendTimer ??= setTimeout(send, wait);
}

/** Asked after a wait, during which another edit may have come. */
function hasUnsaved(): boolean {
  return unsaved !== null;
}

function save(): void {
  restTimer = null;
  saving = saving.then(saveNow);
}

async function saveNow(): Promise<void> {
  const { song, recipe, revision } = get();
  if (!song || !recipe || !revision || !unsaved) return;
  const { label } = unsaved;
  unsaved = null;
  try {
    const kept = await api.edit(song.id, revision.id, label, recipe);
    if (get().song?.id !== song.id) return;
    // only the number moves: what was edited meanwhile stays
    set({ revision: kept, saved: hasUnsaved() ? "saving" : "saved", problem: null });
  } catch (refused) {
    if (get().song?.id !== song.id) return;
    unsaved ??= { label };
    set({ saved: "failed" });
    complain(refused);
    const lost = refused instanceof Refused && refused.status === 0;
    if (lost) restTimer = setTimeout(save, RETRY_MS);
    else if (refused instanceof Refused && refused.status === 400) stand(revision);
  }
}

/** Take a revision as the present state. */
function stand(revision: Revision): void {
  unsaved = null;
  const { selected } = get();
  const { master } = revision.recipe;
  set({
    revision,
    recipe: revision.recipe,
    saved: "saved",
    selected: master.some((stage) => stage.id === selected) ? selected : (master[0]?.id ?? null),
  });
  readings.forget();
  sendSoon();
  describe();
}

export async function step(direction: "undo" | "redo"): Promise<void> {
  const { song } = get();
  if (!song) return;
  try {
    rest();
    if (restTimer) {
      clearTimeout(restTimer);
      save();
    }
    await saving;
    stand(await api[direction](song.id));
  } catch (refused) {
    complain(refused);
  }
}

let describing: Promise<void> | null = null;
let described: Recipe | null = null;

/** Summaries and pictures of the recipe as it is now; at most one request is under way. */
function describe(): void {
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

// ---- listening ----------------------------------------------------------------------------------------------------

function applyGains(): void {
  const { match, matched, monitorDb, dim, compared } = get();
  const gain = (db: number) => 10 ** (db / 20);
  player?.set({
    received: compared === "received",
    nowGain: matched ? gain(match.now_db) : 1,
    receivedGain: matched ? gain(match.received_db) : 1,
    monitorGain: gain(monitorDb + (dim ? DIM_DB : 0)),
  });
}

let estimatedAt = 0;

function estimateMatch(match: Match): void {
  // an estimate may not creep while one listens: it is taken up now and then, and yields to the survey's figure
  if (!get().match.estimate || performance.now() - estimatedAt < ESTIMATE_MS) return;
  estimatedAt = performance.now();
  set({ match });
  applyGains();
}

/** The survey's figure for the passage, or null where there is none yet. */
export function setMatch(match: Match | null): void {
  set({ match: match ?? { ...get().match, estimate: true } });
  applyGains();
}

export function setPlaying(playing: boolean): void {
  set({ playing });
  player?.set({ playing });
  if (!playing) keepView();
}

function stopAtEnd(): void {
  setPlaying(false);
  player?.ask({ type: "seek", song: 0 });
}

export function compare(compared: Compared): void {
  set({ compared });
  applyGains();
}

export function setMatched(matched: boolean): void {
  set({ matched });
  applyGains();
}

export function setMonitor(monitorDb: number): void {
  set({ monitorDb: Math.max(-60, Math.min(0, monitorDb)) });
  applyGains();
}

export function toggleDim(): void {
  set({ dim: !get().dim });
  applyGains();
}

export function setQueue(queueMs: number): void {
  set({ queueMs });
  player?.setQueue(queueMs);
}

export function seek(song: number): void {
  const { song: open, loop } = get();
  if (!open) return;
  const to = Math.round(Math.max(0, Math.min(song, open.frames - 1)));
  if (loop && (to < loop[0] || to >= loop[1])) setLoop(null);
  player?.ask({ type: "seek", song: to });
  keepView(to);
}

export function setLoop(loop: [number, number] | null): void {
  set({ loop });
  player?.ask({ type: "loop", loop });
  keepView();
}

export function select(selected: string | null): void {
  if (get().tap !== "result") listen("result");
  set({ selected });
  keepView();
}

export function listen(tap: Tap): void {
  set({ tap });
  player?.ask({ type: "listen", stage: tap === "result" ? null : get().selected, tap });
}

let viewTimer: ReturnType<typeof setTimeout> | null = null;

function keepView(at?: number): void {
  if (viewTimer) clearTimeout(viewTimer);
  viewTimer = setTimeout(() => {
    const { song, selected, loop } = get();
    const position = at ?? player?.now()?.song ?? 0;
    if (song) api.view(song.id, { stage: selected, loop, song: Math.round(position) }).catch(() => undefined);
  }, 500);
}
