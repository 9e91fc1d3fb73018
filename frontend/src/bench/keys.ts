/** The keyboard: one table that is obeyed and shown. */
import { addStage, chainOf, laneOf, MASTER, moveStage, removeStage, setField, stageOf } from "./editing";
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
} from "./listening";
import { edit, step } from "./edits";
import { chainAround, walkChain } from "../tree/tree";
import { kindInfo, useBench } from "./store";

export interface KeyAction {
  keys: string[];
  shown: string;
  says: string;
  group: "Listening" | "Song" | "Chain" | "Edits" | "On a pin" | "On a rule";
  act?: () => void;
  /** whether a key that is held down does it again and again */
  repeats?: boolean;
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

function choose(direction: 1 | -1): void {
  const { recipe, selected, lane } = state();
  const chain = recipe ? walkChain(chainOf(recipe, lane)).map(({ stage }) => stage) : [];
  const at = chain.findIndex((stage) => stage.id === selected);
  const next = chain[Math.max(0, Math.min(chain.length - 1, at + direction))];
  if (next) select(next.id);
}

function onChosen(change: "toggle" | "remove" | "up" | "down"): void {
  const { recipe, selected } = state();
  const stage = recipe && stageOf(recipe, selected);
  if (!recipe || !stage) return;
  const title = kindInfo(stage.kind)?.title ?? stage.kind;
  if (change === "toggle")
    edit(setField(recipe, stage.id, { on: !stage.on }), `${title} ${stage.on ? "off" : "on"}`, true);
  else if (change === "remove") removeFromChain(stage.id);
  else {
    const chain = chainAround(recipe, stage.id);
    const to = chain.indexOf(stage) + (change === "up" ? -1 : 1);
    if (to >= 0 && to < chain.length) edit(moveStage(recipe, stage.id, to), `Move ${title}`, true);
  }
}

/** Take a stage out of the chain; the choice goes to its neighbour where it was chosen. */
export function removeFromChain(id: string): void {
  const { recipe, selected } = state();
  const stage = recipe && stageOf(recipe, id);
  if (!recipe || !stage) return;
  const rows = walkChain(chainOf(recipe, laneOf(recipe, id))).map((row) => row.stage.id);
  const left = removeStage(recipe, id);
  edit(left, `Remove ${kindInfo(stage.kind)?.title ?? stage.kind}`, true);
  if (stageOf(left, selected)) return;
  const at = rows.indexOf(id);
  const near = [...rows.slice(at + 1), ...rows.slice(0, at).reverse()];
  select(near.find((other) => stageOf(left, other)) ?? null);
}

function addKind(kind: string): void {
  const { recipe, lane } = state();
  const info = kindInfo(kind);
  if (!recipe || !info) return;
  const added = addStage(recipe, lane, info);
  edit(added.recipe, `Add ${info.title}`, true);
  select(added.id);
}

/** What stands on a number key; the listening bar puts the list here. */
let keyed: string[] = ["received", "now"];

export function setKeyed(others: string[]): void {
  keyed = others;
}

function hearKeyed(number: number): void {
  const other = keyed[number - 1];
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

/** Solo the lane that is open, or take it out of what is heard and back in. */
function onLane(list: "solo" | "muted"): void {
  const { lane, listening } = state();
  if (lane === MASTER) return;
  const there = listening[list].includes(lane);
  listenAs({ [list]: there ? listening[list].filter((id) => id !== lane) : [...listening[list], lane] });
}

function hearWithout(what: string | null): void {
  const without = what === null ? WITHOUT_CHAIN : `without:${what}`;
  compare(state().heard === without ? "now" : without);
}

export const KEYS: KeyAction[] = [
  {
    keys: [" "],
    shown: "Space",
    says: "play, pause",
    group: "Listening",
    act: () => setPlaying(!state().playing),
  },
  { keys: ["1"], shown: "1", says: "hear the song as received", group: "Listening", act: () => hearKeyed(1) },
  {
    keys: ["2"],
    shown: "2",
    says: "hear the song as it is now",
    group: "Listening",
    act: () => hearKeyed(2),
  },
  ...[3, 4, 5, 6, 7, 8, 9].map((number): KeyAction => ({
    keys: [String(number)],
    shown: number === 3 ? "3 … 9" : "",
    says: "hear a version or a reference",
    group: "Listening",
    act: () => hearKeyed(number),
  })),
  {
    keys: ["0"],
    shown: "0",
    says: "hear it without the chosen stage",
    group: "Listening",
    act: () => hearWithout(state().selected),
  },
  {
    keys: ["n"],
    shown: "N",
    says: "hear it without any stage",
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
    says: "hear what the stage removes",
    group: "Listening",
    act: () => toggleTap("removed"),
  },
  {
    keys: ["h"],
    shown: "H",
    says: "hear what it listens to",
    group: "Listening",
    act: () => toggleTap("detector"),
  },
  { keys: ["o"], shown: "O", says: "in mono", group: "Listening", act: () => toggleFold("mono") },
  { keys: ["i"], shown: "I", says: "the side only", group: "Listening", act: () => toggleFold("side") },
  { keys: ["w"], shown: "W", says: "only the lows", group: "Listening", act: toggleLows },
  { keys: ["s"], shown: "S", says: "solo the open bus", group: "Listening", act: () => onLane("solo") },
  {
    keys: ["p"],
    shown: "P",
    says: "the open bus out, and back in",
    group: "Listening",
    act: () => onLane("muted"),
  },
  { keys: ["Escape"], shown: "Esc", says: "back to the plain result", group: "Listening", act: plainResult },
  { keys: ["d"], shown: "D", says: "dim", group: "Listening", act: toggleDim },
  {
    keys: ["+", "="],
    shown: "+",
    says: "monitor up a dB",
    group: "Listening",
    act: () => setMonitor(state().monitorDb + 1),
    repeats: true,
  },
  {
    keys: ["-"],
    shown: "−",
    says: "monitor down a dB",
    group: "Listening",
    act: () => setMonitor(state().monitorDb - 1),
    repeats: true,
  },
  {
    keys: ["ArrowLeft"],
    shown: "←",
    says: "back 5 s",
    group: "Song",
    act: () => skip(-SKIP_S),
    repeats: true,
  },
  { keys: ["ArrowRight"], shown: "→", says: "on 5 s", group: "Song", act: () => skip(SKIP_S), repeats: true },
  {
    keys: ["Home"],
    shown: "Home",
    says: "to the start, of the loop if there is one",
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
    act: () => onChosen("toggle"),
  },
  {
    keys: ["Alt+ArrowUp"],
    shown: "Alt ↑",
    says: "move the stage up",
    group: "Chain",
    act: () => onChosen("up"),
  },
  {
    keys: ["Alt+ArrowDown"],
    shown: "Alt ↓",
    says: "move the stage down",
    group: "Chain",
    act: () => onChosen("down"),
  },
  { keys: ["Delete"], shown: "Del", says: "remove the stage", group: "Chain", act: () => onChosen("remove") },
  { keys: ["f"], shown: "F", says: "add filters", group: "Chain", act: () => addKind("filter") },
  { keys: ["c"], shown: "C", says: "add a bus compressor", group: "Chain", act: () => addKind("compressor") },
  { keys: ["e"], shown: "E", says: "add an equalizer", group: "Chain", act: () => addKind("equalizer") },
  { keys: [], shown: "X held", says: "exaggerate the compressor", group: "Chain" },
  { keys: ["Ctrl+z"], shown: "Ctrl Z", says: "undo", group: "Edits", act: () => void step("undo") },
  {
    keys: ["Ctrl+Shift+z", "Ctrl+y"],
    shown: "Ctrl Shift Z",
    says: "redo",
    group: "Edits",
    act: () => void step("redo"),
  },
  { keys: [], shown: "← → ↑ ↓", says: "frequency and gain", group: "On a pin" },
  { keys: [], shown: "Page ↑ ↓", says: "narrower, broader", group: "On a pin" },
  { keys: [], shown: "C, Del", says: "copy across, remove", group: "On a pin" },
  { keys: [], shown: "← →", says: "move; with Shift finely", group: "On a rule" },
  { keys: [], shown: "Page ↑ ↓", says: "move far", group: "On a rule" },
  { keys: [], shown: "0–9, Enter", says: "type a value with its unit", group: "On a rule" },
  { keys: [], shown: "Backspace", says: "back to the default", group: "On a rule" },
];

export function keyName(
  event: Pick<KeyboardEvent, "key" | "ctrlKey" | "metaKey" | "shiftKey" | "altKey">,
): string {
  const key = event.key.length === 1 ? event.key.toLowerCase() : event.key;
  const held = event.ctrlKey || event.metaKey;
  return `${held ? "Ctrl+" : ""}${event.altKey ? "Alt+" : ""}${held && event.shiftKey ? "Shift+" : ""}${key}`;
}

const OPEN = "[role=dialog], [role=menu], [role=listbox]";

/** Whether a key belongs to what has the focus and not to the bench. */
function isTaken(target: EventTarget | null, name: string): boolean {
  if (!(target instanceof HTMLElement)) return false;
  if (target instanceof HTMLInputElement || target instanceof HTMLSelectElement) return true;
  if (target.closest(OPEN)) return true;
  // Space plays wherever the focus is; Enter presses what has it
  if (name === " ") return false;
  if (target.closest("[role=slider]")) return true;
  const inGroup = target.closest("[role=group], [role=radiogroup]") && /^Arrow|^Home/.test(name);
  return (
    Boolean(inGroup) || (name === "Enter" && target.matches("button, a, [role=switch], [role=combobox]"))
  );
}

/** A list that is closed would jump to the letter that is typed: letters are the bench's, and Space plays. */
export function obeyBeforeLists(event: KeyboardEvent): void {
  const list =
    event.target instanceof HTMLElement && event.target.closest("[role=combobox][aria-expanded=false]");
  if (!list || event.key.length !== 1) return;
  event.stopPropagation();
  obeyKey(event);
}

export function obeyKey(event: KeyboardEvent): void {
  const name = keyName(event);
  if (event.defaultPrevented || isTaken(event.target, name)) return;
  const found = KEYS.find((action) => action.keys.includes(name));
  if (!found?.act) return;
  event.preventDefault();
  if (!event.repeat || found.repeats) found.act();
}
