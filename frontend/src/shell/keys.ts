/** The keyboard: the table of keys is obeyed, unless what has the focus takes them. */
import { useBench } from "../state/store";
import { KEYS } from "./keyTable";

const state = useBench.getState;

/** Let single letters act, or not: they get in the way of some voices and hands. */
export function setLetters(letters: boolean): void {
  localStorage.setItem("letters", letters ? "on" : "off");
  useBench.setState({ letters });
}

export function keyName(
  event: Pick<KeyboardEvent, "key" | "ctrlKey" | "metaKey" | "shiftKey" | "altKey">,
): string {
  const key = event.key.length === 1 ? event.key.toLowerCase() : event.key;
  const held = event.ctrlKey || event.metaKey;
  // Shift is part of what a letter or a sign is; elsewhere it counts
  const shifted = event.shiftKey && (held || event.key.length > 1);
  return `${held ? "Ctrl+" : ""}${event.altKey ? "Alt+" : ""}${shifted ? "Shift+" : ""}${key}`;
}

const OPEN = "[role=dialog], [role=menu], [role=listbox]";

/** Whether a key belongs to what has the focus and not to the bench. */
function isTaken(target: EventTarget | null, name: string): boolean {
  if (!(target instanceof HTMLElement)) return false;
  if (target instanceof HTMLInputElement || target instanceof HTMLSelectElement) return true;
  if (target.closest(OPEN)) return true;
  // Space plays wherever the focus is; Enter presses what has it
  if (name === " ") return false;
  const inGroup = target.closest("[role=group], [role=radiogroup]") && /^Arrow|^Home/.test(name);
  return (
    Boolean(inGroup) || (name === "Enter" && target.matches("button, a, [role=switch], [role=combobox]"))
  );
}

/** A closed list would jump to the letter that is typed, a closed menu open by Space: both are the bench's. */
export function obeyBeforeLists(event: KeyboardEvent): void {
  const list =
    event.target instanceof HTMLElement &&
    event.target.closest("[role=combobox][aria-expanded=false], [aria-haspopup=menu][aria-expanded=false]");
  if (!list || event.key.length !== 1) return;
  event.stopPropagation();
  obeyKey(event);
}

export function obeyKey(event: KeyboardEvent): void {
  const name = keyName(event);
  if (event.defaultPrevented || isTaken(event.target, name)) return;
  const found = KEYS.find((action) => action.keys.includes(name));
  if (!found?.act || (/^[a-z]$/.test(name) && !state().letters)) return;
  if (state().record !== null && !found.everywhere) return;
  event.preventDefault();
  if (!event.repeat || found.repeats) found.act(name);
}
