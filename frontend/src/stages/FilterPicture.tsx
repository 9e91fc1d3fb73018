import { useRef } from "react";
import type { Stage } from "../api/types";
import { currentPlayer, useBench } from "../bench/store";
import { colour, useMovingCanvas } from "../ui/useCanvas";
import type { Axis, Frame } from "./plot";
import { drawGridX, drawGridY, drawLine, HZ_TICKS, hzLabel, xAt, yAt } from "./plot";

const HZ: Axis = { low: 8, high: 24000, log: true };
const CURVE: Axis = { low: -36, high: 18 };
const LEVELS: Axis = { low: -96, high: 0 };
const SPECTRUM_LOW_HZ = 8;
const SPECTRUM_HIGH_HZ = 20000;
const SLOWNESS = 0.82;

function spectrumX(frame: Frame, count: number): number[] {
  const ratio = SPECTRUM_HIGH_HZ / SPECTRUM_LOW_HZ;
  return Array.from({ length: count }, (_, i) =>
    xAt(frame, HZ, SPECTRUM_LOW_HZ * ratio ** (i / (count - 1))),
  );
}

/** The response from 8 Hz over the music as received (filled) and as it is now (line). */
export function FilterPicture({ stage }: { stage: Stage }) {
  const picture = useBench((s) => s.described[stage.id]?.picture);
  const calm = useRef<{ received: number[]; now: number[] }>({ received: [], now: [] });
  const ref = useMovingCanvas((context, width, height) => {
    const frame: Frame = { left: 34, top: 10, width: width - 42, height: height - 30 };
    drawGridX(context, frame, HZ, HZ_TICKS, hzLabel);
    drawGridY(context, frame, CURVE, [18, 12, 6, 0, -6, -12, -18, -24, -30, -36]);
    const meters = currentPlayer()?.now()?.moment.meters;
    for (const name of ["received", "now"] as const) {
      const fresh = meters?.[name].spectrum_db;
      const before = calm.current[name];
      if (fresh) calm.current[name] = fresh.map((db, i) => db + SLOWNESS * ((before[i] ?? db) - db));
    }
    const { received, now } = calm.current;
    const xs = spectrumX(frame, received.length);
    const level = (db: number) => yAt(frame, LEVELS, Math.max(LEVELS.low, Math.min(0, db)));
    context.fillStyle = colour("trough");
    received.forEach((db, i) => {
      const x = xs[i]!;
      const top = level(db);
      context.fillRect(x, top, (xs[i + 1] ?? x + 3) - x + 0.5, frame.top + frame.height - top);
    });
    drawLine(context, frame, xs, now.map(level), { ink: "tin", width: 1.2 });
    if (picture && Array.isArray(picture.hz) && Array.isArray(picture.db)) {
      const curve = picture.db.map((db) => yAt(frame, CURVE, db));
      drawLine(
        context,
        frame,
        picture.hz.map((hz) => xAt(frame, HZ, hz)),
        curve,
        { ink: "rim", width: 2.4 },
      );
    }
    context.fillStyle = colour("mute");
    context.font = "500 10.5px 'Archivo Variable', sans-serif";
    context.textAlign = "right";
    const legend = "blue: the filter, dB   filled: as received   grey line: after the whole chain";
    context.fillText(legend, frame.left + frame.width - 6, frame.top + 12);
  });
  return (
    <div className="picture">
      <canvas
        ref={ref}
        role="img"
        aria-label="Frequency response of the filter over the spectrum of the music"
      />
    </div>
  );
}
