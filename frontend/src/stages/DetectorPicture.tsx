import { useRef } from "react";
import type { PointerEvent } from "react";
import type { DetectorFilter } from "../api/types";
import { useStageDetails } from "../state/useStageDetails";
import { useBench } from "../state/store";
import { formatHz } from "../ui/format";
import type { Axis } from "../ui/scale";
import { back } from "../ui/scale";
import { colour, useMovingCanvas } from "../ui/useCanvas";
import { NumberedHandle } from "../ui/NumberedHandle";
import { useDrag } from "../ui/useDrag";
import { useSize } from "../ui/useSize";
import { heldFilterGain, heldFilterHz, heldFilterQ, isPass, letGo, moveFilter } from "./detector";
import { DraggedValue } from "../plots/DraggedValue";
import type { Frame } from "../plots/plot";
import { drawGridX, drawGridY, drawLine, hzLabel, xAt, yAt } from "../plots/plot";
import { useRangeDrag } from "../plots/useRangeDrag";
import { drawDetector, spectra } from "../plots/useSpectra";

const HZ: Axis = { low: 20, high: 20000, log: true };
const DB: Axis = { low: -36, high: 24 };

interface Props {
  stage: string;
  filters: DetectorFilter[];
}

function frameOf(width: number, height: number): Frame {
  return { left: 30, top: 14, width: width - 40, height: height - 38 };
}

/** The detector's filters over the spectrum of what it gets; their pins are dragged, and may be heard meanwhile. */
export function DetectorPicture({ stage, filters }: Props) {
  const picture = useBench((s) => s.described[stage]?.picture);
  const box = useRef<HTMLDivElement>(null);
  const size = useSize(box);
  const range = useRangeDrag(HZ, { left: 30, right: 10 });
  useStageDetails(stage);
  const ref = useMovingCanvas((context, width, height) => {
    const frame = frameOf(width, height);
    spectra.update();
    drawGridX(context, frame, HZ, [20, 100, 1000, 10000], hzLabel);
    drawGridY(context, frame, DB, [24, 12, 0, -12, -24, -36], "mute", true);
    drawDetector(context, frame, HZ);
    const xs = (picture?.hz ?? []).map((hz) => xAt(frame, HZ, hz));
    const ys = (picture?.heard_db ?? []).map((db) => yAt(frame, DB, Math.max(-60, db)));
    drawLine(context, frame, xs, ys, { ink: "rim", width: 2.2 });
    context.fillStyle = colour("mute");
    context.font = "500 10.5px 'Archivo Variable', sans-serif";
    context.textAlign = "left";
    context.fillText("filled: detector signal", frame.left + 8, frame.top + 12);
  });
  return (
    <div ref={box} className="picture touch-none" {...range.handlers} title="Shift-drag to solo a range">
      {range.shown && <DraggedValue shown={range.shown} />}
      <canvas ref={ref} role="img" aria-label="Detector filters over the spectrum of the detector signal" />
      {size.width > 0 &&
        filters.map((filter, index) => (
          <Pin
            key={index}
            frame={frameOf(size.width, size.height)}
            box={box}
            filter={filter}
            number={index + 1}
            onMove={(fields) => moveFilter(stage, filters, index, fields)}
          />
        ))}
    </div>
  );
}

interface PinProps {
  frame: Frame;
  box: React.RefObject<HTMLDivElement | null>;
  filter: DetectorFilter;
  number: number;
  onMove: (fields: Partial<DetectorFilter>) => void;
}

/** Drag for frequency and, where it has one, gain; the wheel and the page keys for Q. */
function Pin({ frame, box, filter, number, onMove }: PinProps) {
  const rateHz = useBench((s) => s.song!.rate_hz);
  const gain = isPass(filter) ? 0 : filter.gain_db;
  const drag = useDrag({
    grab: () => true,
    move: (event: PointerEvent<HTMLElement>) => {
      const rect = box.current!.getBoundingClientRect();
      const along = Math.max(0, Math.min(1, (event.clientX - rect.left - frame.left) / frame.width));
      const up = 1 - (event.clientY - rect.top - frame.top) / frame.height;
      const hz = heldFilterHz(back(HZ, along), rateHz);
      onMove(isPass(filter) ? { hz } : { hz, gain_db: heldFilterGain(back(DB, up)) });
    },
    rest: letGo,
  });
  const tune = (octaves: number) => (fine: boolean) =>
    onMove({ hz: heldFilterHz(filter.hz * 2 ** (octaves * (fine ? 0.1 : 1)), rateHz) });
  const raise = (direction: number) => (fine: boolean) =>
    onMove({ gain_db: heldFilterGain(gain + direction * (fine ? 0.1 : 0.5)) });
  return (
    <NumberedHandle
      number={number}
      label={`Detector filter ${number}: ${filter.kind.replace("_", " ")} at ${formatHz(filter.hz)}`}
      x={xAt(frame, HZ, filter.hz)}
      y={yAt(frame, DB, gain)}
      keys={{
        ArrowRight: tune(1 / 12),
        ArrowLeft: tune(-1 / 12),
        PageUp: () => onMove({ q: heldFilterQ(filter.q * 1.1) }),
        PageDown: () => onMove({ q: heldFilterQ(filter.q / 1.1) }),
        ...(isPass(filter) ? {} : { ArrowUp: raise(1), ArrowDown: raise(-1) }),
      }}
      drag={drag}
      onKeyUp={letGo}
      onWheel={(event) => onMove({ q: heldFilterQ(filter.q * 1.002 ** -event.deltaY) })}
    />
  );
}
