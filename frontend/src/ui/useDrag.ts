/** Something held and dragged: by mouse, pen or finger, until it is let go or taken away. */
import { useRef } from "react";
import type { PointerEvent } from "react";

interface Drag<Held> {
  /** What is in the hand from now on; null where there is nothing to take. */
  grab: (event: PointerEvent<HTMLElement>) => Held | null;
  move: (event: PointerEvent<HTMLElement>, held: Held) => void;
  /** It was let go, or the browser took the pointer away. */
  rest: () => void;
}

export function useDrag<Held>({ grab, move, rest }: Drag<Held>) {
  const held = useRef<{ what: Held } | null>(null);
  const end = (event: PointerEvent<HTMLElement>) => {
    if (!held.current) return;
    event.stopPropagation();
    held.current = null;
    rest();
  };
  return {
    onPointerDown(event: PointerEvent<HTMLElement>) {
      if (event.button !== 0) return;
      const what = grab(event);
      if (what === null) return;
      event.stopPropagation();
      event.currentTarget.setPointerCapture(event.pointerId);
      held.current = { what };
    },
    onPointerMove(event: PointerEvent<HTMLElement>) {
      if (!held.current) return;
      event.stopPropagation();
      move(event, held.current.what);
    },
    onPointerUp: end,
    onPointerCancel: end,
    onLostPointerCapture: end,
  };
}
