import type { KeyboardEvent } from "react";
import { edit } from "../state/edits";
import { rest } from "../state/saving";
import { setLoop } from "../state/listening";
import { useShape } from "../state/shape";
import type { Span } from "../state/store";
import { useBench } from "../state/store";
import { formatTime } from "../ui/format";
import { BAND_HEIGHT, withBoundary, withEdge, xOf } from "./geometry";

const STEP_S = 0.1;
const FINE_S = 0.01;
const COARSE_S = 1;

/** By how many seconds a key moves what has the focus. */
function stepOf({ key, shiftKey }: KeyboardEvent): number | null {
  const by = shiftKey ? FINE_S : STEP_S;
  return (
    { ArrowRight: by, ArrowUp: by, ArrowLeft: -by, ArrowDown: -by, PageUp: COARSE_S, PageDown: -COARSE_S }[
      key
    ] ?? null
  );
}

interface Props {
  label: string;
  frame: number;
  /** share of the map's width */
  left: string;
  inBand?: boolean;
  onStep: (seconds: number) => void;
  onKey?: (key: string) => boolean;
}

/** What can be held on the map by keys too: it is seen when it has the focus, and lets the pointer through. */
function Handle({ label, frame, left, inBand = false, onStep, onKey }: Props) {
  const { rate_hz: rateHz, frames } = useBench((s) => s.song)!;
  return (
    <span
      role="slider"
      tabIndex={0}
      aria-label={label}
      aria-valuemin={0}
      aria-valuemax={frames / rateHz}
      aria-valuenow={frame / rateHz}
      aria-valuetext={formatTime(frame / rateHz, 2)}
      className="pointer-events-none absolute z-10 w-[9px] -translate-x-1/2"
      style={inBand ? { left, top: 0, height: BAND_HEIGHT } : { left, top: BAND_HEIGHT, bottom: 0 }}
      onKeyDown={(event) => {
        if (event.ctrlKey || event.metaKey || event.altKey) return;
        const by = stepOf(event);
        if (by !== null) onStep(by);
        else if (!onKey?.(event.key)) return;
        event.preventDefault();
        event.stopPropagation();
      }}
      onKeyUp={rest}
    />
  );
}

/** Loop and section edges by keyboard; on an edge Enter loops the section that begins there, F2 names it. */
export function MapHandles({ view, onRename }: { view: Span; onRename: (section: string) => void }) {
  const recipe = useShape();
  const loop = useBench((s) => s.loop);
  const { rate_hz: rateHz, frames } = useBench((s) => s.song)!;
  const at = (frame: number) => `${xOf(frame, 100, view)}%`;
  const shown = (frame: number) => frame >= view[0] && frame <= view[1];
  const hold = (start: number, end: number) =>
    setLoop([Math.round(start * rateHz), Math.min(frames, Math.round(end * rateHz))]);
  return (
    <>
      {loop?.map(
        (frame, i) =>
          shown(frame) && (
            <Handle
              key={i}
              label={i === 0 ? "Start of the loop" : "End of the loop"}
              frame={frame}
              left={at(frame)}
              onStep={(by) => setLoop(withEdge(loop, i as 0 | 1, frame + by * rateHz, frames, rateHz))}
            />
          ),
      )}
      {recipe.sections.map((section, i) => {
        const frame = section.start_s * rateHz;
        return (
          shown(frame) && (
            <Handle
              key={section.id}
              inBand
              label={`Section ${section.name}`}
              frame={frame}
              left={at(frame)}
              onStep={(by) => {
                if (i === 0) return;
                const { recipe: present } = useBench.getState();
                const sections = withBoundary(recipe.sections, i - 1, section.start_s + by);
                edit({ ...present!, sections }, "Move a section's edge");
              }}
              onKey={(key) => {
                if (key === "Enter") hold(section.start_s, section.end_s);
                else if (key === "F2") onRename(section.id);
                else return false;
                return true;
              }}
            />
          )
        );
      })}
    </>
  );
}
