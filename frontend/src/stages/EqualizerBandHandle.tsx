import type { PointerEvent, WheelEvent } from "react";
import type { Band } from "../api/types";
import { rest } from "../state/saving";
import { useBench } from "../state/store";
import type { Keys } from "../ui/keySteps";
import type { Axis } from "../ui/scale";
import { NumberedHandle } from "../ui/NumberedHandle";
import { useDrag } from "../ui/useDrag";
import { bandWords, changeBand, copyToOther, hasGain, heldGain, heldHz, heldQ } from "./bands";
import type { EqualizerStage } from "./bandEdits";
import { changeBands } from "./bandEdits";
import type { Frame } from "../plots/plot";
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
export function EqualizerBandHandle({
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

  const tune = (octaves: number) => (fine: boolean) =>
    change({ hz: heldHz(band.hz * 2 ** (octaves * (fine ? 0.1 : 1)), rateHz) });
  const raise = (direction: number) => (fine: boolean) => {
    if (hasGain(band)) change({ gain_db: heldGain(band.gain_db + direction * (fine ? 0.1 : 0.5)) });
  };
  const keys: Keys = {
    ArrowRight: tune(1 / 12),
    ArrowLeft: tune(-1 / 12),
    ArrowUp: raise(1),
    ArrowDown: raise(-1),
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

  return (
    <>
      <span
        className={`pointer-events-none absolute w-px ${band.channels === "side" || band.channels === "right" ? "bg-plum" : "bg-rim"}`}
        style={{ left: x, top: Math.min(y, zero), height: Math.abs(y - zero) }}
      />
      <NumberedHandle
        number={number}
        label={`Band ${number}: ${band.shape.replace("_", " ")}, ${band.channels}, ${bandWords(band)}`}
        x={x}
        y={Math.max(frame.top, Math.min(frame.top + frame.height, y))}
        chosen={chosen}
        on={band.on}
        band={band.id}
        keys={keys}
        drag={drag}
        onFocus={() => choose(band.id)}
        onBlur={rest}
        onWheel={(event) => change({ q: heldQ(band.q * 1.002 ** -event.deltaY) })}
      />
    </>
  );
}
