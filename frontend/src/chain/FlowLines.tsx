import type { Rails } from "./signalFlow";
import { columnPx, railPath } from "./signalFlow";

/** The lines beside a row. */
export function FlowLines({ rails, last, height }: { rails: Rails; last: number; height: number }) {
  return (
    <svg
      aria-hidden
      className="pointer-events-none absolute top-0 left-0 overflow-visible"
      width={columnPx(last, last) + 4}
      height={height}
    >
      <path d={railPath(rails, last, height)} className="fill-none stroke-rim opacity-[.3]" strokeWidth={3} />
    </svg>
  );
}
