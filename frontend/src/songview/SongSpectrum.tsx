import { useRef, useState } from "react";
import type { KeyboardEvent, PointerEvent } from "react";
import { DraggedValue } from "../plots/DraggedValue";
import type { Frame } from "../plots/plot";
import { drawGridX, drawGridY, HZ_TICKS, hzLabel, xAt } from "../plots/plot";
import { hearBandAround } from "../plots/searchBand";
import { useRangeDrag } from "../plots/useRangeDrag";
import { drawSpectra, LEVELS, nameFrozen, rowFor, spectra } from "../plots/useSpectra";
import { formatDb, formatHz } from "../ui/format";
import type { Axis } from "../ui/scale";
import { back } from "../ui/scale";
import { indexOf, noteName } from "../plots/spectrum";
import { colour, useMovingCanvas } from "../ui/useCanvas";

const HZ: Axis = { low: 16, high: 22000, log: true };
const PARTS = ["Mid", "Side"] as const;
const STEP_OCTAVES = 1 / 12;

function framesOf(width: number, height: number): Frame[] {
  const tall = (height - 24) / 2;
  return PARTS.map((_, i) => ({ left: 34, top: 8 + i * tall, width: width - 44, height: tall - 8 }));
}

/** What is heard: mid over side; a narrow band follows pointer or arrows where one searches. */
export function SongSpectrum({ searching }: { searching: boolean }) {
  const box = useRef<HTMLDivElement>(null);
  const range = useRangeDrag(HZ, { left: 34, right: 10 });
  const [spot, setSpot] = useState<{ hz: number; part: 0 | 1 } | null>(null);
  const ref = useMovingCanvas((context, width, height) => {
    spectra.update();
    framesOf(width, height).forEach((frame, i) => {
      const part = i as 0 | 1;
      drawGridX(context, frame, HZ, HZ_TICKS.slice(1), part === 1 ? hzLabel : () => "");
      drawGridY(context, frame, LEVELS, [0, -12, -24, -36, -48, -60, -72]);
      drawSpectra(context, frame, HZ, part);
      context.fillStyle = colour(part === 0 ? "rim" : "plum");
      context.font = "680 12.5px 'Archivo Variable', sans-serif";
      context.textAlign = "left";
      context.fillText(PARTS[part], frame.left + 8, frame.top + 15);
      if (part === 0) nameFrozen(context, frame);
      if (spot) {
        context.fillStyle = colour(searching ? "copper" : "tick");
        context.fillRect(xAt(frame, HZ, spot.hz) - 0.5, frame.top, 1, frame.height);
      }
    });
  });
  const look = (hz: number, part: 0 | 1) => {
    const held = Math.max(HZ.low, Math.min(HZ.high, hz));
    setSpot({ hz: held, part });
    if (searching) hearBandAround(held);
  };
  const at = (event: PointerEvent<HTMLElement>) => {
    const rect = box.current!.getBoundingClientRect();
    const [frame] = framesOf(rect.width, rect.height);
    const share = (event.clientX - rect.left - frame!.left) / frame!.width;
    look(back(HZ, share), event.clientY - rect.top > rect.height / 2 ? 1 : 0);
  };
  const key = (event: KeyboardEvent<HTMLElement>) => {
    const by = { ArrowRight: STEP_OCTAVES, ArrowLeft: -STEP_OCTAVES }[event.key];
    if (!searching || by === undefined) return;
    event.preventDefault();
    event.stopPropagation();
    look((spot?.hz ?? 1000) * 2 ** by, spot?.part ?? 0);
  };
  const level = spot && spectra.now ? rowFor(spectra.now, spot.part)[indexOf(spot.hz)] : undefined;
  return (
    <div
      ref={box}
      {...range.handlers}
      className="picture touch-none"
      role="slider"
      tabIndex={searching ? 0 : -1}
      aria-label="Frequency that is looked at"
      aria-valuemin={HZ.low}
      aria-valuemax={HZ.high}
      aria-valuenow={spot?.hz ?? 1000}
      aria-valuetext={formatHz(spot?.hz ?? 1000)}
      onKeyDown={key}
      onPointerMove={at}
      onPointerLeave={() => setSpot(null)}
      title="Shift-drag to solo a range"
    >
      {range.shown && <DraggedValue shown={range.shown} />}
      <canvas ref={ref} role="img" aria-label="Spectrum of what is heard, mid over side" />
      {spot && (
        <span
          className={`pointer-events-none absolute top-[10px] right-[12px] px-[6px] py-px ${searching ? "bg-copper font-[620] text-on-rim" : "bg-ink text-[10.5px] text-page"}`}
        >
          {formatHz(spot.hz)} · {noteName(spot.hz)} · {formatDb(level)}
        </span>
      )}
    </div>
  );
}
