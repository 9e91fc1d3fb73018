import type { HTMLAttributes, WheelEventHandler } from "react";
import type { Keys } from "./keySteps";
import { keySteps } from "./keySteps";

interface Props {
  number: number;
  label: string;
  x: number;
  y: number;
  /** nothing where pins are not chosen */
  chosen?: boolean;
  on?: boolean;
  /** its id among the bands */
  band?: string;
  keys: Keys;
  /** from `useDrag` */
  drag: HTMLAttributes<HTMLElement>;
  onBlur?: () => void;
  onKeyUp?: () => void;
  onFocus?: () => void;
  onWheel?: WheelEventHandler<HTMLElement>;
}

/** What can be held on a picture both ways, by hand and by keys: its number stands where it is. */
export function NumberedHandle({ number, label, x, y, chosen, on = true, band, keys, drag, ...does }: Props) {
  const look = chosen
    ? "z-10 bg-copper text-on-rim"
    : on
      ? "bg-ink text-page"
      : "border border-ink bg-well text-mute";
  return (
    <button
      type="button"
      aria-label={label}
      aria-pressed={chosen}
      onFocus={does.onFocus}
      onKeyDown={keySteps(keys)}
      onKeyUp={does.onKeyUp}
      onBlur={does.onBlur}
      onClick={(event) => event.stopPropagation()}
      onDoubleClick={(event) => event.stopPropagation()}
      onWheel={does.onWheel}
      {...drag}
      data-band={band}
      className={`absolute grid h-[18px] min-w-[18px] -translate-x-1/2 -translate-y-1/2 cursor-grab touch-none place-items-center text-[11px] font-[680] ${look}`}
      style={{ left: x, top: y }}
    >
      {number}
    </button>
  );
}
