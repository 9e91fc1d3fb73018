/** Opening songs and records: the one that was open is kept and let go of, the other has its own player. */
import { api } from "../api/client";
import type { Param, Recipe, Song, Stages } from "../api/types";
import { LivePlayer } from "../live/player";
import type { PlayerEvents } from "../live/player";
import { MASTER } from "../tree/tree";
import { carried } from "../ui/scale";
import { giveWay } from "../ui/ticker";
import { describe, moveParam, standing, stand } from "./edits";
import {
  compare,
  estimateMatch,
  greetPlayer,
  listenAs,
  noteMove,
  saveView,
  setLoop,
  setMatched,
  setPlaying,
  setMonitor,
  setQueue,
  stopAtEnd,
} from "./listening";
import { UNMATCHED } from "./loudnessMatch";
import { blockCame, end, stateBegan, takes } from "./automationRecording";
import { lookForUnkept, settle } from "./saving";
import { begin, createSession, session } from "./session";
import { PLAIN, readings, useBench } from "./store";

const get = useBench.getState;
const set = useBench.setState;

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

/** Of several that were asked for the last one counts, however long the first one takes. */
let asked = 0;

/** Write down what a hand holds, and keep what was edited of the song that is open. */
async function leave(): Promise<void> {
  await session().hand.end();
  await settle();
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
  underruns: (underruns) => {
    set({ underruns });
    giveWay();
  },
  rendered: blockCame,
  began: stateBegan,
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
  const mine = ++asked;
  await leave();
  if (mine !== asked) return;
  saveView();
  begin(createSession());
  set({ record: id, loop: null, selected: null, grid: null, ...UNHEARD });
  if (addressedRecord() !== id) window.history.pushState(null, "", `/records/${id}`);
}

/** Play a sound that is no song of its own, from a frame on. */
export function playSound(path: string, sound: Pick<Song, "rate_hz" | "frames" | "title">, at: number): void {
  const { playing, song } = get();
  const frames = sound.frames;
  set({ song: { ...song!, ...sound, id: 0, sources: {}, view: {} }, recipe: EMPTY, revision: null });
  const player = new LivePlayer(path, sound.rate_hz, get().queueMs, {
    ...PLAYING,
    heard: ({ head, meters }) => {
      readings.take(head, meters);
      if (get().loop === null && head.song >= frames) stopAtEnd();
    },
  });
  begin(createSession({ player }));
  readings.reset(frames);
  Object.assign(window, {
    tinKettle: { player, state: get, act: { setMonitor, setQueue, setLoop, listenAs } },
  });
  player.ask({ type: "seek", song: Math.round(Math.max(0, Math.min(at, frames - 1))) });
  greetPlayer();
  if (playing) player.set({ playing });
}

export async function openSong(id: number): Promise<void> {
  const mine = ++asked;
  // what was edited of the song before is kept first
  await leave();
  const [declared, song] = await Promise.all([api.stages(), api.song(id)]);
  // and what was edited of it meanwhile
  await settle();
  if (mine !== asked) return;
  saveView();
  set({ stages: declaredAt(declared, song.rate_hz) });
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
  readings.reset(song.frames);
  const player = new LivePlayer(`/songs/${id}/live`, song.rate_hz, get().queueMs, {
    ...PLAYING,
    heard: ({ head, meters }) => {
      readings.take(head, meters);
      if (meters.other_name === get().other) estimateMatch(meters.match, meters.near);
      if (get().loop === null && head.song >= song.frames + meters.tail) stopAtEnd();
    },
  });
  begin(
    createSession({
      player,
      hand: { takes, end },
      sendEdit: (edited, revision, label) => {
        player.ask({ type: "edit", recipe: edited, revision, label });
        noteMove(edited);
      },
      openAgain: () => openSong(id),
      refused: stand,
    }),
  );
  const act = { setMonitor, setMatched, setQueue, setLoop, setPlaying, compare, listenAs, move: moveParam };
  Object.assign(window, { tinKettle: { player, state: get, act } });
  if (song.view.song) player.ask({ type: "seek", song: song.view.song });
  if (get().loop) player.ask({ type: "loop", loop: get().loop });
  greetPlayer();
  describe();
  lookForUnkept(song);
  localStorage.setItem("song", String(id));
  if (addressed() !== id) window.history.pushState(null, "", `/songs/${id}`);
}
