/** The keyboard: one table that is obeyed and shown. */
import { addStage, removeStage, setField, moveStage, stageOf } from "./editing";
import {
  compare,
  currentPlayer,
  edit,
  kindInfo,
  listen,
  seek,
  select,
  setLoop,
  setMatched,
  setMonitor,
  setPlaying,
  step,
  toggleDim,
  useBench,
} from "./store";

export interface KeyAction {
  keys: string[];
  shown: string;
  says: string;
  group: "Listening" | "Song" | "Chain" | "Edits" | "On a rule";
  act?: () => void;
}

const SKIP_S = 5;
const state = useBench.getState;

function heardSong(): number {
  return currentPlayer()?.now()?.song ?? state().song?.view.song ?? 0;
}

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
  const { recipe, selected } = state();
  if (!recipe?.master.length) return;
  const at = recipe.master.findIndex((stage) => stage.id === selected);
  const next = Math.max(0, Math.min(recipe.master.length - 1, at + direction));
  select(recipe.master[next]!.id);
}

function onChosen(change: "toggle" | "remove" | "up" | "down"): void {
  const { recipe, selected } = state();
  const stage = recipe && stageOf(recipe, selected);
  if (!recipe || !stage) return;
  const title = kindInfo(stage.kind)?.title ?? stage.kind;
  const at = recipe.master.indexOf(stage);
  if (change === "toggle")
    edit(setField(recipe, stage.id, { on: !stage.on }), `${title} ${stage.on ? "off" : "on"}`, true);
  else if (change === "remove") {
    edit(removeStage(recipe, stage.id), `Remove ${title}`, true);
    select(recipe.master[at + 1]?.id ?? recipe.master[at - 1]?.id ?? null);
  } else {
    const to = at + (change === "up" ? -1 : 1);
    if (to >= 0 && to < recipe.master.length) edit(moveStage(recipe, stage.id, to), `Move ${title}`, true);
  }
}

function addKind(kind: string): void {
  const { recipe } = state();
  const info = kindInfo(kind);
  if (!recipe || !info) return;
  const added = addStage(recipe, info);
  edit(added.recipe, `Add ${info.title}`, true);
  select(added.id);
}

function plainResult(): void {
  listen("result");
  compare("now");
}

export const KEYS: KeyAction[] = [
  {
    keys: [" "],
    shown: "Space",
    says: "play, pause",
    group: "Listening",
    act: () => setPlaying(!state().playing),
  },
  {
    keys: ["1"],
    shown: "1",
    says: "hear the song as received",
    group: "Listening",
    act: () => compare("received"),
  },
  {
    keys: ["2"],
    shown: "2",
    says: "hear the song as it is now",
    group: "Listening",
    act: () => compare("now"),
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
    act: () => listen(state().tap === "removed" ? "result" : "removed"),
  },
  { keys: ["Escape"], shown: "Esc", says: "back to the plain result", group: "Listening", act: plainResult },
  { keys: ["d"], shown: "D", says: "dim", group: "Listening", act: toggleDim },
  {
    keys: ["+", "="],
    shown: "+",
    says: "monitor up a dB",
    group: "Listening",
    act: () => setMonitor(state().monitorDb + 1),
  },
  {
    keys: ["-"],
    shown: "−",
    says: "monitor down a dB",
    group: "Listening",
    act: () => setMonitor(state().monitorDb - 1),
  },
  { keys: ["ArrowLeft"], shown: "←", says: "back 5 s", group: "Song", act: () => skip(-SKIP_S) },
  { keys: ["ArrowRight"], shown: "→", says: "on 5 s", group: "Song", act: () => skip(SKIP_S) },
  {
    keys: ["Home"],
    shown: "Home",
    says: "to the start, of the loop if there is one",
    group: "Song",
    act: () => seek(state().loop?.[0] ?? 0),
  },
  { keys: ["l"], shown: "L", says: "loop the section, or leave the loop", group: "Song", act: loopSection },
  { keys: ["ArrowUp"], shown: "↑", says: "stage above", group: "Chain", act: () => choose(-1) },
  { keys: ["ArrowDown"], shown: "↓", says: "stage below", group: "Chain", act: () => choose(1) },
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
  { keys: ["Ctrl+z"], shown: "Ctrl Z", says: "undo", group: "Edits", act: () => void step("undo") },
  {
    keys: ["Ctrl+Shift+z", "Ctrl+y"],
    shown: "Ctrl Shift Z",
    says: "redo",
    group: "Edits",
    act: () => void step("redo"),
  },
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

const BUTTON_KEYS = new Set([" ", "Enter"]);

/** Whether a key belongs to what has the focus and not to the bench. */
function isTaken(target: EventTarget | null, name: string): boolean {
  if (!(target instanceof HTMLElement)) return false;
  if (target.closest("[role=dialog], [role=menu], [role=slider]"))
    return name !== " " || target.closest("[role=slider]") === null;
  if (target instanceof HTMLInputElement || target instanceof HTMLSelectElement) return true;
  const inGroup = target.closest("[role=group], [role=radiogroup]") && /^Arrow|^Home/.test(name);
  // Space plays wherever the focus is, unless it got there by the keyboard
  const presses =
    BUTTON_KEYS.has(name) &&
    target.matches("button:focus-visible, a:focus-visible, [role=switch]:focus-visible");
  return Boolean(inGroup) || presses;
}

export function obeyKey(event: KeyboardEvent): void {
  const name = keyName(event);
  if (event.defaultPrevented || isTaken(event.target, name)) return;
  const found = KEYS.find((action) => action.keys.includes(name));
  if (!found?.act) return;
  event.preventDefault();
  found.act();
}
