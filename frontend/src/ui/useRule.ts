/** The behaviour of a ruled slider: drag, Shift-drag fine, arrow keys, Backspace to reset. */
import { useRef } from "react";
import type { KeyboardEvent, PointerEvent } from "react";
import type { Scaled } from "./scale";
import { fromShare, rounded, stepped, toShare } from "./scale";

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
  const drag = useRef<{ share: number; x: number } | null>(null);
  const moveTo = (share: number) => {
    const value = rounded(options, fromShare(options, share));
    if (value !== options.value) options.onMove(value);
  };

  return {
    onPointerDown(event: PointerEvent<HTMLElement>) {
      if (event.button !== 0) return;
      event.preventDefault();
      event.currentTarget.setPointerCapture(event.pointerId);
      const box = event.currentTarget.getBoundingClientRect();
      const on = toShare(options, options.value) * box.width;
      const at = event.clientX - box.left;
      // grabbing the pointer itself moves nothing; elsewhere on the rule it jumps there
      const share = Math.abs(at - on) < 9 || event.shiftKey ? on / box.width : at / box.width;
      drag.current = { share, x: event.clientX };
      moveTo(share);
      event.currentTarget.querySelector<HTMLElement>("[role=slider]")?.focus();
    },
    onPointerMove(event: PointerEvent<HTMLElement>) {
      const held = drag.current;
      if (!held) return;
      event.preventDefault();
      const box = event.currentTarget.getBoundingClientRect();
      held.share += ((event.clientX - held.x) / box.width) * (event.shiftKey ? FINE : 1);
      held.x = event.clientX;
      moveTo(held.share);
    },
    onPointerUp(event: PointerEvent<HTMLElement>) {
      if (!drag.current) return;
      event.preventDefault();
      drag.current = null;
      options.onRest();
    },
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
