import type { RecordHeard } from "../api/recordTypes";
import { colour, useCanvas } from "../ui/useCanvas";
import type { Frame } from "../plots/plot";
import { drawGridX, drawGridY, drawLine, hzLabel, xAt, yAt } from "../plots/plot";
import type { Axis } from "../ui/scale";

const HZ: Axis = { low: 40, high: 14000, log: true };
const DB: Axis = { low: -10.5, high: 10.5 };
const TICKS_HZ = [50, 100, 200, 500, 1000, 2000, 5000, 10000];

interface Props {
  tone: RecordHeard["tone"];
  part: 0 | 1;
  /** Places from 0 of songs that stand out. */
  far: readonly number[];
}

/** Each song's tone against the record's own, each at its own loudness; the band is what most of it keeps to. */
export function TonePicture({ tone, part, far }: Props) {
  const ref = useCanvas((context, width, height) => {
    const frame: Frame = { left: 26, top: 8, width: width - 36, height: height - 28 };
    drawGridX(context, frame, HZ, TICKS_HZ, hzLabel);
    drawGridY(context, frame, DB, [9, 6, 3, 0, -3, -6, -9], "mute", true);
    if (!tone) return;
    const xs = tone.hz.map((hz) => xAt(frame, HZ, hz));
    const y = (db: number) => yAt(frame, DB, Math.max(DB.low, Math.min(DB.high, db)));
    const [low, high] = tone.band_db.map((rows) => rows[part]) as [number[], number[]];
    context.fillStyle = colour("trough");
    context.beginPath();
    high.forEach((db, i) => context.lineTo(xs[i]!, y(db)));
    low.toReversed().forEach((db, i) => context.lineTo(xs[xs.length - 1 - i]!, y(db)));
    context.fill();
    tone.songs_db.forEach((rows, song) => {
      const stands = far.includes(song);
      const ys = rows[part].map(y);
      const style = stands ? { ink: "copper", width: 1.9 } : { ink: part ? "plum" : "rim", width: 1.1 };
      drawLine(context, frame, xs, ys, style);
      // named where it is farthest from the others
      const at = rows[part].reduce(
        (best, db, i) => (Math.abs(db) > Math.abs(rows[part][best]!) ? i : best),
        0,
      );
      context.fillStyle = colour(stands ? "copper" : "mute");
      context.font = `${stands ? 700 : 560} 11px 'Archivo Variable', sans-serif`;
      context.textAlign = "center";
      const above = rows[part][at]! > 0;
      context.fillText(String(song + 1), xs[at]!, y(rows[part][at]!) + (above ? -4 : 12));
    });
  });
  return (
    <div className="picture h-[220px] max-[1100px]:h-[180px]">
      <canvas ref={ref} role="img" aria-label={`Tone song by song, ${part ? "side" : "mid"}, in dB`} />
    </div>
  );
}
