import type { KeyboardEvent, PointerEvent, WheelEvent } from "react";
import type { Band } from "../api/types";
import { rest } from "../state/saving";
import { useBench } from "../state/store";
import { useDrag } from "../ui/useDrag";
import { bandWords, changeBand, copyToOther, hasGain, heldGain, heldHz, heldQ } from "./bands";
import type { EqualizerStage } from "./changeBands";
import { changeBands } from "./changeBands";
import type { Axis, Frame } from "../plots/plot";
import { HZ_AXIS, xAt, yAt } from "../plots/plot";

interface PinProps {
  stage: EqualizerStage;
  band: Band;
  number: number;
  frame: Frame;
  gain: Axis;
  chosen: boolean;
  choose: (id: string | null) => void;
  /** The neighbour that the focus goes to, if there is one. */
  onRemoved: (neighbour: string | null) => void;
  where: (event: PointerEvent<HTMLElement> | WheelEvent<HTMLElement>) => { hz: number; gain: number };
}

/** A numbered pin on a stem: drag for frequency and gain, wheel for Q, all of it by keys too. */
export function EqualizerPin({
  stage,
  band,
  number,
  frame,
  gain,
  chosen,
  choose,
  onRemoved,
  where,
}: PinProps) {
  const rateHz = useBench((s) => s.song!.rate_hz);
  const x = xAt(frame, HZ_AXIS, band.hz);
  const db = hasGain(band) ? (band.shape === "bell" ? band.gain_db : band.gain_db / 2) : 0;
  const y = yAt(frame, gain, db);
  const zero = yAt(frame, gain, 0);
  const change = (fields: Partial<Band>) =>
    changeBands(stage, changeBand(stage.params.bands, band.id, fields), bandWords({ ...band, ...fields }));

  const scale = band.shape === "bell" ? 1 : 2;
  const drag = useDrag({
    grab: (event: PointerEvent<HTMLElement>) => {
      const at = where(event);
      choose(band.id);
      return { hz: band.hz / at.hz, gain: band.gain_db - at.gain * scale };
    },
    move: (event, held) => {
      const at = where(event);
      const fields: Partial<Band> = { hz: heldHz(at.hz * held.hz, rateHz) };
      if (hasGain(band)) fields.gain_db = heldGain(at.gain * scale + held.gain);
      change(fields);
    },
    rest,
  });

  const key = (event: KeyboardEvent<HTMLElement>) => {
    const fine = event.shiftKey ? 0.1 : 1;
    const moves: Record<string, () => void> = {
      ArrowRight: () => change({ hz: heldHz(band.hz * 2 ** (fine / 12), rateHz) }),
      ArrowLeft: () => change({ hz: heldHz(band.hz / 2 ** (fine / 12), rateHz) }),
      ArrowUp: () => hasGain(band) && change({ gain_db: heldGain(band.gain_db + Math.max(0.1, 0.5 * fine)) }),
      ArrowDown: () =>
        hasGain(band) && change({ gain_db: heldGain(band.gain_db - Math.max(0.1, 0.5 * fine)) }),
      PageUp: () => change({ q: heldQ(band.q * 1.1) }),
      PageDown: () => change({ q: heldQ(band.q / 1.1) }),
      Backspace: () => hasGain(band) && change({ gain_db: 0 }),
      Delete: () => {
        const left = stage.params.bands.filter(({ id }) => id !== band.id);
        changeBands(stage, left, `band ${number} removed`, true);
        onRemoved(left[Math.min(number - 1, left.length - 1)]?.id ?? null);
      },
      c: () => {
        const copied = copyToOther(stage.params.bands, band.id);
        changeBands(stage, copied.bands, `band ${number} copied to the other component`, true);
        choose(copied.id);
      },
    };
    const act = moves[event.key];
    if (!act || event.ctrlKey || event.metaKey) return;
    event.preventDefault();
    event.stopPropagation();
    act();
  };

  return (
    <>
      <span
        className={`pointer-events-none absolute w-px ${band.channels === "side" || band.channels === "right" ? "bg-plum" : "bg-rim"}`}
        style={{ left: x, top: Math.min(y, zero), height: Math.abs(y - zero) }}
      />
      <button
        type="button"
        data-band={band.id}
        aria-label={`Band ${number}: ${band.shape.replace("_", " ")}, ${band.channels}, ${bandWords(band)}`}
        aria-pressed={chosen}
        onFocus={() => choose(band.id)}
        onKeyDown={key}
        onBlur={rest}
        onDoubleClick={(event) => event.stopPropagation()}
        onClick={(event) => event.stopPropagation()}
        onWheel={(event) => change({ q: heldQ(band.q * 1.002 ** -event.deltaY) })}
        {...drag}
        className={`absolute grid h-[18px] min-w-[18px] -translate-x-1/2 -translate-y-1/2 cursor-grab touch-none place-items-center text-[11px] font-[680] ${chosen ? "z-10 bg-copper text-on-rim" : band.on ? "bg-ink text-page" : "border border-ink bg-well text-mute"}`}
        style={{ left: x, top: Math.max(frame.top, Math.min(frame.top + frame.height, y)) }}
      >
        {number}
      </button>
    </>
  );
}
