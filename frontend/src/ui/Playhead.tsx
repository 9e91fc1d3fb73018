import { useRef } from "react";
import { useMoving } from "./ticker";

interface Props {
  /** Where it stands across its parent, in pixels of the given width; null hides it. */
  at: (width: number) => number | null;
  /** A handle on top, as on the map. */
  handle?: boolean;
  style: { top: number; bottom: number };
}

/** The line that goes along with the music: moved, not drawn, so that what it passes over may stay as it is. */
export function Playhead({ at, handle = false, style }: Props) {
  const ref = useRef<HTMLSpanElement>(null);
  useMoving(() => {
    const line = ref.current;
    if (!line) return;
    const x = at(line.parentElement!.clientWidth);
    line.style.visibility = x === null ? "hidden" : "visible";
    if (x !== null) line.style.transform = `translateX(${x.toFixed(2)}px)`;
  });
  return (
    <span
      ref={ref}
      aria-hidden
      className="pointer-events-none absolute left-0 -ml-[0.75px] w-[1.5px] bg-ink will-change-transform"
      style={style}
    >
      {handle && (
        <svg width="10" height="10" aria-hidden className="absolute -top-[4px] -left-[4.25px] fill-ink">
          <path d="M0 0h10v5l-5 5l-5 -5z" />
        </svg>
      )}
    </span>
  );
}
