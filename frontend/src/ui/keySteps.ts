/** What keys do, by their names, finely where Shift is held; with Ctrl or Alt they mean something else. */
import type { KeyboardEvent } from "react";

export type Keys = Record<string, ((fine: boolean) => void) | undefined>;

export function keySteps(keys: Keys): (event: KeyboardEvent<HTMLElement>) => void {
  return (event) => {
    const act = keys[event.key];
    if (!act || event.ctrlKey || event.metaKey || event.altKey) return;
    event.preventDefault();
    event.stopPropagation();
    act(event.shiftKey);
  };
}
