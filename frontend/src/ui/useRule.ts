/** The behaviour of a ruled slider: drag, Shift-drag fine, arrow keys, Backspace to reset. */
import type { KeyboardEvent, PointerEvent } from "react";
import type { Scaled } from "./scale";
import { fromShare, rounded, stepped, toShare } from "./scale";
import { useDrag } from "./useDrag";

export interface RuleOptions extends Scaled {
  value: number;
  reset: number;
  onMove: (value: number) => void;
  onRest: () => void;
  /** Begin to type, with what was typed first. */
  onType: (first: string) => void;
}

const FINE = 0.1;
const STEPS: Record<string, number> = { ArrowRight: 1, ArrowUp: 1, ArrowLeft: -1, ArrowDown: -1 };
const LEAPS: Record<string, number> = { PageUp: 1, PageDown: -1 };

export function useRule(options: RuleOptions) {
  const moveTo = (share: number) => {
    const value = rounded(options, fromShare(options, share));
    if (value !== options.value) options.onMove(value);
  };

  const drag = useDrag({
    grab: (event: PointerEvent<HTMLElement>) => {
      event.preventDefault();
      const box = event.currentTarget.getBoundingClientRect();
      const on = toShare(options, options.value) * box.width;
      const at = event.clientX - box.left;
      // grabbing the pointer itself moves nothing; elsewhere on the rule it jumps there
      const share = Math.abs(at - on) < 9 || event.shiftKey ? on / box.width : at / box.width;
      moveTo(share);
      event.currentTarget.querySelector<HTMLElement>("[role=slider]")?.focus();
      return { share, x: event.clientX };
    },
    move: (event, held) => {
      event.preventDefault();
      const box = event.currentTarget.getBoundingClientRect();
      held.share += ((event.clientX - held.x) / box.width) * (event.shiftKey ? FINE : 1);
      held.x = event.clientX;
      moveTo(held.share);
    },
    rest: options.onRest,
  });

  return {
    ...drag,
    onKeyDown(event: KeyboardEvent<HTMLElement>) {
      const step = STEPS[event.key] ?? LEAPS[event.key];
      let value: number | null = null;
      if (step !== undefined) {
        const size = event.key in LEAPS ? "coarse" : event.shiftKey ? "fine" : "plain";
        value = stepped(options, options.value, step, size);
      } else if (event.key === "Home") value = options.low;
      else if (event.key === "End") value = options.high;
      else if (event.key === "Backspace" || event.key === "Delete") value = options.reset;
      else if (event.key === "Enter") options.onType("");
      else if (/^[0-9.,+−-]$/.test(event.key) && !event.ctrlKey && !event.metaKey) options.onType(event.key);
      else return;
      event.preventDefault();
      event.stopPropagation();
      if (value !== null && value !== options.value) options.onMove(value);
    },
  };
}
