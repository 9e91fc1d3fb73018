/** What stands on the number keys; the listening bar decides it. */
import type { Heard } from "./store";

let others: Heard[] = ["received", "now"];

export function setKeyed(shown: Heard[]): void {
  others = shown;
}

export function keyed(): readonly Heard[] {
  return others;
}
