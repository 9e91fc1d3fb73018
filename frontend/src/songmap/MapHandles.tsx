import { edit } from "../state/edits";
import { rest } from "../state/saving";
import { setLoop } from "../state/listening";
import { useShape } from "../state/recipeShape";
import type { Span } from "../state/store";
import { useBench } from "../state/store";
import type { Keys } from "../ui/keySteps";
import { formatTime } from "../ui/format";
import { Handle } from "../ui/Handle";
import { BAND_HEIGHT, withBoundary, withEdge, xOf } from "./geometry";

const STEP_S = 0.1;
const FINE_S = 0.01;
const COARSE_S = 1;

interface Props {
  label: string;
  frame: number;
  /** share of the map's width */
  left: string;
  inBand?: boolean;
  onStep: (seconds: number) => void;
  /** what other keys do */
  keys?: Keys;
}

/** An edge on the map: it is seen when it has the focus; the hand holds it by the map itself. */
function Edge({ label, frame, left, inBand = false, onStep, keys = {} }: Props) {
  const { rate_hz: rateHz, frames } = useBench((s) => s.song)!;
  const by = (direction: number) => (fine: boolean) => onStep(direction * (fine ? FINE_S : STEP_S));
  return (
    <Handle
      label={label}
      low={0}
      high={frames / rateHz}
      value={frame / rateHz}
      told={formatTime(frame / rateHz, 2)}
      keys={{
        ArrowRight: by(1),
        ArrowUp: by(1),
        ArrowLeft: by(-1),
        ArrowDown: by(-1),
        PageUp: () => onStep(COARSE_S),
        PageDown: () => onStep(-COARSE_S),
        ...keys,
      }}
      onRest={rest}
      className="w-[9px] -translate-x-1/2"
      style={inBand ? { left, top: 0, height: BAND_HEIGHT } : { left, top: BAND_HEIGHT, bottom: 0 }}
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
            <Edge
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
            <Edge
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
              keys={{
                Enter: () => hold(section.start_s, section.end_s),
                F2: () => onRename(section.id),
              }}
            />
          )
        );
      })}
    </>
  );
}
