import { useRef } from "react";
import type { PointerEvent } from "react";
import { rest } from "../state/saving";
import { heardNow } from "../state/useLiveReadings";
import { useBench } from "../state/store";
import { formatDb, formatHz } from "../ui/format";
import { useMovingCanvas } from "../ui/useCanvas";
import type { Keys } from "../ui/keySteps";
import type { Axis } from "../ui/scale";
import { back } from "../ui/scale";
import { Handle } from "../ui/Handle";
import { NumberedHandle } from "../ui/NumberedHandle";
import { useDrag } from "../ui/useDrag";
import { useSize } from "../ui/useSize";
import { heldGain, heldHz } from "./bands";
import { Farthest, movedCurve, summed } from "./curves";
import type { Pin, PinStage } from "./bandHandles";
import { addPin, changePin, MOST_PINS, removePin } from "./bandHandles";
import { DraggedValue } from "../plots/DraggedValue";
import type { Frame } from "../plots/plot";
import {
  drawBand,
  drawGridX,
  drawGridY,
  drawLine,
  HZ_AXIS,
  HZ_TICKS,
  hzLabel,
  xAt,
  yAt,
} from "../plots/plot";
import { useRangeDrag } from "../plots/useRangeDrag";
import { drawSpectra, spectra } from "../plots/useSpectra";

function frameOf(width: number, height: number): Frame {
  return { left: 34, top: 8, width: width - 44, height: height - 30 };
}

interface Props {
  stage: PinStage;
  chosen: string | null;
  choose: (id: string | null) => void;
}

/** Pins over the spectrum: the curve at rest, how far each may move, where it is at the moment and was at its farthest. */
export function DynamicBandsPicture({ stage, chosen, choose }: Props) {
  const picture = useBench((s) => s.described[stage.id]?.picture) as
    { hz: number[]; rest: Record<string, number[]>; reach: Record<string, number[]> } | undefined;
  const rateHz = useBench((s) => s.song!.rate_hz);
  const { bands: pins } = stage.params;
  const box = useRef<HTMLDivElement>(null);
  const size = useSize(box);
  const range = useRangeDrag(HZ_AXIS, { left: 34, right: 10 });
  const farthest = useRef(new Map<string, Farthest>());
  const most = Math.max(
    12,
    ...pins.map(
      (pin) => Math.ceil(Math.max(Math.abs(pin.gain_db), Math.abs(pin.gain_db + pin.range_db)) / 6) * 6,
    ),
  );
  const gain: Axis = { low: -most, high: most };

  const ref = useMovingCanvas((context, width, height) => {
    const frame = frameOf(width, height);
    spectra.update();
    drawGridY(context, frame, gain, [most, most / 2, 0, -most / 2, -most], "mute", true);
    drawGridX(context, frame, HZ_AXIS, HZ_TICKS, hzLabel);
    drawSpectra(context, frame, HZ_AXIS, null);
    if (!picture) return;
    const xs = picture.hz.map((hz) => xAt(frame, HZ_AXIS, hz));
    const y = (db: number) => yAt(frame, gain, Math.max(gain.low - 2, Math.min(gain.high + 2, db)));
    const reading = useBench.getState().playing ? heardNow()?.meters.stages[stage.id] : undefined;
    const now_s = performance.now() / 1000;
    const shown = pins.filter(({ id }) => picture.rest[id] && picture.reach[id]);
    const at = (pin: Pin, move: number) =>
      movedCurve(picture.rest[pin.id]!, picture.reach[pin.id]!, pin.range_db, move);
    const moves = shown.map((pin) => {
      const move = reading?.[`effort_${pin.id}`]?.at(-1) ?? 0;
      let far = farthest.current.get(pin.id);
      if (!far) farthest.current.set(pin.id, (far = new Farthest()));
      return { pin, move, far: far.take(move, now_s) };
    });
    for (const { pin } of moves)
      if (pin.on && pin.range_db !== 0)
        drawBand(context, frame, xs, at(pin, 0).map(y), at(pin, pin.range_db).map(y));
    const total = (pick: (one: (typeof moves)[number]) => number) =>
      summed(
        moves.map((one) => at(one.pin, pick(one))),
        xs.length,
      ).map(y);
    drawLine(
      context,
      frame,
      xs,
      total(() => 0),
      { ink: "rim", width: 1.4, dash: [5, 3] },
    );
    drawLine(
      context,
      frame,
      xs,
      total(({ far }) => far),
      { ink: "copper", width: 0.9, dash: [2, 2] },
    );
    drawLine(
      context,
      frame,
      xs,
      total(({ move }) => move),
      { ink: "copper", width: 2.3 },
    );
  });

  const where = (event: PointerEvent<HTMLElement>) => {
    const rect = box.current!.getBoundingClientRect();
    const frame = frameOf(rect.width, rect.height);
    const share = Math.max(0, Math.min(1, (event.clientX - rect.left - frame.left) / frame.width));
    return {
      hz: heldHz(back(HZ_AXIS, share), rateHz),
      gain: heldGain(back(gain, 1 - (event.clientY - rect.top - frame.top) / frame.height)),
    };
  };

  return (
    <div
      ref={box}
      {...range.handlers}
      className="picture touch-none"
      data-testid="pins"
      role="group"
      aria-label="Bands"
      onDoubleClick={(event) => {
        const { hz } = where(event as unknown as PointerEvent<HTMLElement>);
        if (pins.length < MOST_PINS) choose(addPin(stage, { hz }));
      }}
    >
      {range.shown && <DraggedValue shown={range.shown} />}
      <canvas
        ref={ref}
        role="img"
        aria-label="Curve at rest, as far as each band may move, and at this moment"
      />
      {size.width > 0 &&
        pins.map((pin, index) => (
          <PinHandles
            key={pin.id}
            stage={stage}
            pin={pin}
            number={index + 1}
            frame={frameOf(size.width, size.height)}
            gain={gain}
            chosen={pin.id === chosen}
            choose={choose}
            where={where}
          />
        ))}
    </div>
  );
}

interface PinProps {
  stage: PinStage;
  pin: Pin;
  number: number;
  frame: Frame;
  gain: Axis;
  chosen: boolean;
  choose: (id: string | null) => void;
  where: (event: PointerEvent<HTMLElement>) => { hz: number; gain: number };
}

/** A pin: its number stands at rest, the bar at the end of its span is as far as it may move. */
function PinHandles({ stage, pin, number, frame, gain, chosen, choose, where }: PinProps) {
  const rateHz = useBench((s) => s.song!.rate_hz);
  const x = xAt(frame, HZ_AXIS, pin.hz);
  const half = pin.shape === "low_shelf" || pin.shape === "high_shelf" ? 0.5 : 1;
  const y = (db: number) =>
    Math.max(frame.top, Math.min(frame.top + frame.height, yAt(frame, gain, db * half)));
  const [restY, reachY] = [y(pin.gain_db), y(pin.gain_db + pin.range_db)];
  const change = (fields: Partial<Pin>, label: string) =>
    changePin(stage, pin.id, fields, `band ${number} ${label}`);
  const drag = useDrag({
    grab: (event: PointerEvent<HTMLElement>) => {
      choose(pin.id);
      const at = where(event);
      return { hz: pin.hz / at.hz, gain: pin.gain_db - at.gain / half };
    },
    move: (event, held) => {
      const at = where(event);
      const hz = heldHz(at.hz * held.hz, rateHz);
      change({ hz, gain_db: heldGain(at.gain / half + held.gain) }, formatHz(hz));
    },
    rest,
  });
  const reach = (db: number) => {
    const range_db = heldGain(db - pin.gain_db);
    change({ range_db }, `reach ${formatDb(range_db, true)}`);
  };
  const stretch = useDrag({
    grab: (event: PointerEvent<HTMLElement>) => {
      choose(pin.id);
      return { gain: pin.gain_db + pin.range_db - where(event).gain / half };
    },
    move: (event, held) => reach(where(event).gain / half + held.gain),
    rest,
  });
  const step = (event: string) => (event.endsWith("Up") || event.endsWith("Right") ? 1 : -1);
  const tuned = (name: string) => heldHz(pin.hz * 2 ** (step(name) / 12), rateHz);
  const raised = (name: string) => heldGain(pin.gain_db + 0.5 * step(name));
  const keys: Keys = {
    ArrowRight: () => change({ hz: tuned("Right") }, formatHz(tuned("Right"))),
    ArrowLeft: () => change({ hz: tuned("Left") }, formatHz(tuned("Left"))),
    ArrowUp: () => change({ gain_db: raised("Up") }, formatDb(raised("Up"), true)),
    ArrowDown: () => change({ gain_db: raised("Down") }, formatDb(raised("Down"), true)),
    Delete: () => {
      removePin(stage, pin.id);
      choose(null);
    },
  };
  return (
    <>
      <span
        className="pointer-events-none absolute w-[3px] -translate-x-1/2 bg-copper2"
        style={{ left: x, top: Math.min(restY, reachY), height: Math.abs(restY - reachY) }}
      />
      <NumberedHandle
        number={number}
        label={`Band ${number}: ${pin.shape.replace("_", " ")} at ${formatHz(pin.hz)}, ${formatDb(pin.gain_db, true)} at rest`}
        x={x}
        y={restY}
        chosen={chosen}
        on={pin.on}
        keys={keys}
        drag={drag}
        onFocus={() => choose(pin.id)}
        onBlur={rest}
      />
      <Handle
        label={`Range of band ${number}`}
        vertical
        low={-24}
        high={24}
        value={pin.range_db}
        told={formatDb(pin.range_db, true)}
        keys={{
          ArrowUp: () => reach(pin.gain_db + pin.range_db + 0.5),
          ArrowDown: () => reach(pin.gain_db + pin.range_db - 0.5),
          Backspace: () => reach(pin.gain_db),
        }}
        onRest={rest}
        onFocus={() => choose(pin.id)}
        drag={stretch}
        className="h-[13px] w-[26px] -translate-x-1/2 -translate-y-1/2 cursor-ns-resize"
        style={{ left: Math.abs(restY - reachY) < 12 ? x + 22 : x, top: reachY }}
      >
        <span className="pointer-events-none absolute top-[4px] h-[5px] w-full border border-page bg-copper" />
      </Handle>
    </>
  );
}
