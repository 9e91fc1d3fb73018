import type { PointerEvent } from "react";
import { rest } from "../state/saving";
import { formatHz } from "../ui/format";
import type { Axis } from "../ui/scale";
import { back } from "../ui/scale";
import { Handle } from "../ui/Handle";
import { useDrag } from "../ui/useDrag";
import type { Frame } from "../plots/plot";
import { xAt } from "../plots/plot";

interface Props {
  hz: number;
  number: number;
  /** What it is where it is no crossover. */
  name?: string;
  frame: Frame;
  axis: Axis;
  onMove: (hz: number) => void;
}

/** A border between two bands: drag it along the spectrum, finely with Shift; arrows move it by a semitone. */
export function Crossover({ hz, number, name, frame, axis, onMove }: Props) {
  const x = xAt(frame, axis, hz);
  const hzAt = (px: number) => back(axis, px / frame.width);
  const drag = useDrag({
    grab: (event: PointerEvent<HTMLElement>) => ({ x: event.clientX, at: x - frame.left }),
    move: (event, held) => {
      held.at += (event.clientX - held.x) * (event.shiftKey ? 0.1 : 1);
      held.x = event.clientX;
      onMove(hzAt(held.at));
    },
    rest,
  });
  const by = (octaves: number) => (fine: boolean) => onMove(hz * 2 ** (octaves * (fine ? 0.1 : 1)));
  return (
    <Handle
      label={name ?? `Crossover ${number}`}
      low={axis.low}
      high={axis.high}
      value={hz}
      told={formatHz(hz)}
      keys={{
        ArrowRight: by(1 / 12),
        ArrowUp: by(1 / 12),
        ArrowLeft: by(-1 / 12),
        ArrowDown: by(-1 / 12),
        PageUp: by(1),
        PageDown: by(-1),
      }}
      onRest={rest}
      drag={drag}
      className="group w-[13px] -translate-x-1/2 cursor-ew-resize"
      style={{ left: x, top: frame.top, height: frame.height }}
    >
      <span className="pointer-events-none absolute inset-y-0 left-[6px] w-[1.5px] bg-copper" />
      <span
        className={`pointer-events-none absolute bottom-0 ${x > frame.left + frame.width - 24 ? "right-0" : x < frame.left + 24 ? "left-0" : "left-1/2 -translate-x-1/2"} bg-copper px-[6px] py-px font-[650] whitespace-nowrap text-on-rim`}
      >
        {formatHz(hz)}
      </span>
    </Handle>
  );
}
