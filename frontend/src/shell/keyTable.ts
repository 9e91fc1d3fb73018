/** The keys, what they do and how they are shown: one table. */
import {
  addKind,
  chooseMore,
  chosen,
  copy,
  cut,
  duplicate,
  pasteCopied,
  remove,
  step as stepStage,
  stepLane,
  toggle,
} from "../chain/stageActions";
import { openSearch } from "../chain/useStageSearch";
import { chainOf } from "../state/editing";
import {
  compare,
  heardSong,
  listen,
  listenAs,
  plainResult,
  seek,
  select,
  setLoop,
  setMatched,
  setMonitor,
  setPlaying,
  setView,
  toggleDim,
  WITHOUT_CHAIN,
} from "../state/listening";
import { step } from "../state/edits";
import { arm, useRiding } from "../state/automationRecording";
import { homeOf, MASTER, splitOf, stageOf, walkChain } from "../tree/tree";
import { kindInfo, useBench } from "../state/store";

export interface KeyAction {
  keys: string[];
  shown: string;
  says: string;
  group: "Listening" | "Song" | "Chain" | "Edits" | "On a band" | "On a control";
  /** told which of its keys was pressed */
  act?: (name: string) => void;
  /** whether a key that is held down does it again and again */
  repeats?: boolean;
  /** whether it acts on a record too, and not on the song alone */
  everywhere?: boolean;
}

const SKIP_S = 5;
const state = useBench.getState;

function skip(seconds: number): void {
  const { song } = state();
  if (song) seek(heardSong() + seconds * song.rate_hz);
}

function loopSection(): void {
  const { song, recipe, loop } = state();
  if (!song || !recipe) return;
  if (loop) {
    setLoop(null);
    return;
  }
  const at = heardSong() / song.rate_hz;
  const section = recipe.sections.find((s) => s.start_s <= at && at < s.end_s);
  if (section)
    setLoop([
      Math.round(section.start_s * song.rate_hz),
      Math.min(song.frames, Math.round(section.end_s * song.rate_hz)),
    ]);
}

const LEAST_LOOP_S = 0.05;

/** Let a loop begin or end where the song is heard; without one it reaches to the end, or from the start. */
function loopEdge(edge: 0 | 1): void {
  const { song, loop } = state();
  if (!song) return;
  const least = LEAST_LOOP_S * song.rate_hz;
  const at = Math.round(heardSong());
  const [start, end] = loop ?? [0, song.frames];
  if (edge === 0) setLoop([Math.min(at, song.frames - least), end > at + least ? end : song.frames]);
  else setLoop([start < at - least ? start : 0, Math.max(at, least)]);
}

/** Open the table of sections of the control that has the focus, or close it. */
function openTable(): void {
  const { table } = useRiding.getState();
  const [target, param] =
    document.activeElement?.closest<HTMLElement>("[data-ride]")?.dataset.ride?.split(" ") ?? [];
  if (target && param) useRiding.setState({ table: { target, param } });
  else if (table) useRiding.setState({ table: null });
}

function choose(direction: 1 | -1): void {
  const { recipe, selected, lane } = state();
  const chain = recipe ? walkChain(chainOf(recipe, lane)).map(({ stage }) => stage) : [];
  const at = chain.findIndex((stage) => stage.id === selected);
  const next = chain[Math.max(0, Math.min(chain.length - 1, at + direction))];
  if (next) select(next.id);
}

/** Do something to the chosen stage, if there is one. */
function onChosen(act: (id: string) => void): void {
  const { selected } = state();
  if (selected !== null) act(selected);
}

function hearKeyed(number: number): void {
  const other = useBench.getState().keyed[number - 1];
  if (other) compare(other);
}

function toggleTap(tap: "removed" | "detector"): void {
  compare("now");
  listen(state().tap === tap ? "result" : tap);
}

function toggleFold(fold: "mono" | "side"): void {
  listenAs({ fold: state().listening.fold === fold ? "stereo" : fold });
}

function toggleLows(): void {
  listenAs(state().listening.range === "lows" ? { range: "all" } : { range: "lows", high_hz: 120 });
}

/** Solo the branch of the chosen stage, or the lane that is open, or take it out of what is heard and back in. */
function onLane(list: "solo" | "muted"): void {
  const { recipe, selected, lane, listening } = state();
  const home = recipe && selected !== null ? homeOf(recipe, selected) : undefined;
  const heard = recipe && home !== undefined && splitOf(recipe, home) ? home : lane;
  if (heard === MASTER) return;
  const there = listening[list].includes(heard);
  listenAs({ [list]: there ? listening[list].filter((id) => id !== heard) : [...listening[list], heard] });
}

function hearWithout(what: string | null): void {
  const without = what === null ? WITHOUT_CHAIN : `without:${what}`;
  compare(state().heard === without ? "now" : without);
}

/** Hear what a stage would be with less to do, a limiter with 2 dB less; those that have no such way stay. */
function hearEased(): void {
  const { recipe, selected } = state();
  const stage = recipe ? stageOf(recipe, selected) : null;
  if (!stage || !kindInfo(stage.kind)?.eased) return;
  const eased = `eased:${stage.id}`;
  compare(state().heard === eased ? "now" : eased);
}

export const KEYS: KeyAction[] = [
  {
    keys: [" "],
    shown: "Space",
    says: "play, pause",
    everywhere: true,
    group: "Listening",
    act: () => setPlaying(!state().playing),
  },
  { keys: ["1"], shown: "1", says: "received", group: "Listening", act: () => hearKeyed(1) },
  {
    keys: ["2"],
    shown: "2",
    says: "now",
    group: "Listening",
    act: () => hearKeyed(2),
  },
  ...[3, 4, 5, 6, 7, 8, 9].map((number): KeyAction => ({
    keys: [String(number)],
    shown: number === 3 ? "3 … 9" : "",
    says: "a version or a reference",
    group: "Listening",
    act: () => hearKeyed(number),
  })),
  {
    keys: ["0"],
    shown: "0",
    says: "bypass the chosen stage",
    group: "Listening",
    act: () => hearWithout(state().selected),
  },
  {
    keys: ["q"],
    shown: "Q",
    says: "preview the stage with a gentler setting",
    group: "Listening",
    act: hearEased,
  },
  {
    keys: ["n"],
    shown: "N",
    says: "bypass all stages",
    group: "Listening",
    act: () => hearWithout(null),
  },
  {
    keys: ["m"],
    shown: "M",
    says: "match loudness, or not",
    group: "Listening",
    act: () => setMatched(!state().matched),
  },
  {
    keys: ["r"],
    shown: "R",
    says: "listen to the difference",
    group: "Listening",
    act: () => toggleTap("removed"),
  },
  {
    keys: ["h"],
    shown: "H",
    says: "listen to the detector",
    group: "Listening",
    act: () => toggleTap("detector"),
  },
  {
    keys: ["o"],
    shown: "O",
    says: "in mono",
    group: "Listening",
    everywhere: true,
    act: () => toggleFold("mono"),
  },
  {
    keys: ["i"],
    shown: "I",
    says: "the side only",
    group: "Listening",
    everywhere: true,
    act: () => toggleFold("side"),
  },
  { keys: ["w"], shown: "W", says: "only the lows", group: "Listening", everywhere: true, act: toggleLows },
  {
    keys: ["s"],
    shown: "S",
    says: "solo the open bus, or the stage's branch",
    group: "Listening",
    act: () => onLane("solo"),
  },
  {
    keys: ["p"],
    shown: "P",
    says: "mute the same, or not",
    group: "Listening",
    act: () => onLane("muted"),
  },
  {
    keys: ["Escape"],
    shown: "Esc",
    says: "back to the plain output",
    group: "Listening",
    everywhere: true,
    act: plainResult,
  },
  { keys: ["d"], shown: "D", says: "dim", group: "Listening", everywhere: true, act: toggleDim },
  {
    keys: ["+", "="],
    shown: "+",
    says: "monitor up a dB",
    everywhere: true,
    group: "Listening",
    act: () => setMonitor(state().monitorDb + 1),
    repeats: true,
  },
  {
    keys: ["-"],
    shown: "−",
    says: "monitor down a dB",
    everywhere: true,
    group: "Listening",
    act: () => setMonitor(state().monitorDb - 1),
    repeats: true,
  },
  {
    keys: ["ArrowLeft"],
    shown: "←",
    says: "back 5 s",
    everywhere: true,
    group: "Song",
    act: () => skip(-SKIP_S),
    repeats: true,
  },
  {
    keys: ["ArrowRight"],
    shown: "→",
    says: "on 5 s",
    group: "Song",
    everywhere: true,
    act: () => skip(SKIP_S),
    repeats: true,
  },
  {
    keys: ["Home"],
    shown: "Home",
    says: "to the start, of the loop if there is one",
    everywhere: true,
    group: "Song",
    act: () => seek(state().loop?.[0] ?? 0),
  },
  {
    keys: ["z"],
    shown: "Z",
    says: "zoom to the loop, or back to all",
    group: "Song",
    act: () => setView(state().view ? null : state().loop),
  },
  {
    keys: ["[", "]"],
    shown: "[ ]",
    says: "loop start, loop end at the playhead",
    group: "Song",
    act: (name) => loopEdge(name === "[" ? 0 : 1),
  },
  { keys: ["l"], shown: "L", says: "loop the section, or leave the loop", group: "Song", act: loopSection },
  {
    keys: ["ArrowUp"],
    shown: "↑",
    says: "stage above",
    group: "Chain",
    act: () => choose(-1),
    repeats: true,
  },
  {
    keys: ["ArrowDown"],
    shown: "↓",
    says: "stage below",
    group: "Chain",
    act: () => choose(1),
    repeats: true,
  },
  {
    keys: ["b"],
    shown: "B",
    says: "switch the stage off or on",
    group: "Chain",
    act: () => onChosen(toggle),
  },
  {
    keys: ["Shift+ArrowUp", "Shift+ArrowDown"],
    shown: "Shift ↑ ↓",
    says: "choose more stages",
    group: "Chain",
    act: (name) => chooseMore(name.endsWith("Up") ? -1 : 1),
    repeats: true,
  },
  {
    keys: ["Alt+ArrowUp", "Alt+ArrowDown"],
    shown: "Alt ↑ ↓",
    says: "move up or down, into splits and out",
    group: "Chain",
    act: (name) => stepStage(name.endsWith("Up") ? -1 : 1),
  },
  {
    keys: ["Alt+Shift+ArrowLeft", "Alt+Shift+ArrowRight"],
    shown: "Alt Shift ← →",
    says: "move to the bus beside, or the master",
    group: "Chain",
    act: (name) => stepLane(name.endsWith("Left") ? -1 : 1),
  },
  { keys: ["Delete"], shown: "Del", says: "remove", group: "Chain", act: () => remove(chosen()) },
  { keys: ["Ctrl+c"], shown: "Ctrl C", says: "copy", group: "Chain", act: () => copy(chosen()) },
  { keys: ["Ctrl+x"], shown: "Ctrl X", says: "cut", group: "Chain", act: () => cut(chosen()) },
  { keys: ["Ctrl+v"], shown: "Ctrl V", says: "paste below", group: "Chain", act: pasteCopied },
  {
    keys: ["Ctrl+d"],
    shown: "Ctrl D",
    says: "duplicate",
    group: "Chain",
    act: () => duplicate(chosen()),
  },
  { keys: ["v"], shown: "V", says: "overview", group: "Chain", act: () => select(null) },
  { keys: ["a"], shown: "A", says: "add a stage, found by typing", group: "Chain", act: openSearch },
  { keys: ["f"], shown: "F", says: "add filters", group: "Chain", act: () => addKind("filter") },
  { keys: ["c"], shown: "C", says: "add a bus compressor", group: "Chain", act: () => addKind("compressor") },
  { keys: ["e"], shown: "E", says: "add an equalizer", group: "Chain", act: () => addKind("equalizer") },
  { keys: [], shown: "X held", says: "exaggerate the compressor", group: "Chain" },
  {
    keys: ["t"],
    shown: "T",
    says: "record automation",
    group: "Edits",
    act: () => arm(!useRiding.getState().armed),
  },
  { keys: ["g"], shown: "G", says: "value by section", group: "Edits", act: openTable },
  { keys: ["Ctrl+z"], shown: "Ctrl Z", says: "undo", group: "Edits", act: () => void step("undo") },
  {
    keys: ["Ctrl+Shift+z", "Ctrl+y"],
    shown: "Ctrl Shift Z",
    says: "redo",
    group: "Edits",
    act: () => void step("redo"),
  },
  { keys: [], shown: "← → ↑ ↓", says: "frequency and gain", group: "On a band" },
  { keys: [], shown: "Page ↑ ↓", says: "narrower, broader", group: "On a band" },
  { keys: [], shown: "C, Del", says: "copy across, remove", group: "On a band" },
  { keys: [], shown: "← →", says: "move; with Shift finely", group: "On a control" },
  { keys: [], shown: "Page ↑ ↓", says: "move far", group: "On a control" },
  { keys: [], shown: "0–9, Enter", says: "type a value with its unit", group: "On a control" },
  { keys: [], shown: "Backspace", says: "back to the default", group: "On a control" },
];
