/** Shift-drag along a spectrum chooses the range that is heard; a Shift-click hears everything again. */
import { useRef, useState } from "react";
import type { PointerEvent } from "react";
import { listenAs } from "../state/listening";
import type { Frame } from "./plot";
import { draggedRange } from "./plot";
import type { Axis } from "../ui/scale";

export function useRangeDrag(axis: Axis, inset: { left: number; right: number }) {
  const from = useRef<number | null>(null);
  const [shown, setShown] = useState<[number, number] | null>(null);
  const place = (event: PointerEvent<HTMLElement>) => {
    const box = event.currentTarget.getBoundingClientRect();
    const frame: Frame = { left: inset.left, top: 0, width: box.width - inset.left - inset.right, height: 1 };
    return { x: event.clientX - box.left, frame };
  };
  return {
    shown,
    handlers: {
      onPointerDownCapture(event: PointerEvent<HTMLElement>) {
        if (!event.shiftKey || event.button !== 0) return;
        event.stopPropagation();
        event.currentTarget.setPointerCapture(event.pointerId);
        from.current = place(event).x;
      },
      onPointerMoveCapture(event: PointerEvent<HTMLElement>) {
        if (from.current === null) return;
        event.stopPropagation();
        setShown([from.current, place(event).x]);
      },
      onPointerCancelCapture() {
        from.current = null;
        setShown(null);
      },
      onPointerUpCapture(event: PointerEvent<HTMLElement>) {
        if (from.current === null) return;
        event.stopPropagation();
        const { x, frame } = place(event);
        const range = draggedRange(from.current, x, frame, axis);
        from.current = null;
        setShown(null);
        listenAs(range ? { range: "band", low_hz: range[0], high_hz: range[1] } : { range: "all" });
      },
    },
  };
}
