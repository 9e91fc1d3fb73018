import { useRef } from "react";
import type { Stage } from "../api/types";
import { heardNow } from "../state/useLiveReadings";
import { useBench } from "../state/store";
import { formatDb } from "../ui/format";
import type { Axis } from "../ui/scale";
import { back } from "../ui/scale";
import { colour, useMovingCanvas } from "../ui/useCanvas";
import { useSize } from "../ui/useSize";
import { Crossovers } from "./Crossovers";
import { bandsTotal } from "./curves";
import { DraggedValue } from "../plots/DraggedValue";
import type { Frame } from "../plots/plot";
import { drawGridX, drawGridY, drawLine, HZ_TICKS, hzLabel, xAt, yAt } from "../plots/plot";
import { useRangeDrag } from "../plots/useRangeDrag";
import { drawSpectra, spectra } from "../plots/useSpectra";

const HZ: Axis = { low: 20, high: 20000, log: true };

function frameOf(width: number, height: number): Frame {
  return { left: 34, top: 8, width: width - 44, height: height - 30 };
}

interface Props {
  stage: Extract<Stage, { kind: "band_dynamics" }>;
  chosen: string;
  choose: (id: string) => void;
}

/** The bands over the spectrum: the curve at rest, that of the moment over it, what each band does now. */
export function BandsPicture({ stage, chosen, choose }: Props) {
  const picture = useBench((s) => s.described[stage.id]?.picture);
  const { bands, crossovers_hz: corners } = stage.params;
  const box = useRef<HTMLDivElement>(null);
  const size = useSize(box);
  const range = useRangeDrag(HZ, { left: 34, right: 10 });
  const most = Math.max(12, ...bands.map((band) => Math.ceil((Math.abs(band.gain_db) + 3) / 6) * 6));
  const gain: Axis = { low: -most, high: most };

  const ref = useMovingCanvas((context, width, height) => {
    const frame = frameOf(width, height);
    spectra.update();
    const edges = [HZ.low, ...corners, HZ.high].map((hz) => xAt(frame, HZ, hz));
    bands.forEach(({ id, on }, i) => {
      context.fillStyle = colour(id === chosen ? "rim2" : i % 2 ? "well" : "enamel");
      context.globalAlpha = on ? 1 : 0.5;
      context.fillRect(edges[i]!, frame.top, edges[i + 1]! - edges[i]!, frame.height);
      context.globalAlpha = 1;
    });
    drawSpectra(context, frame, HZ, null);
    drawGridX(context, frame, HZ, HZ_TICKS.slice(1), hzLabel);
    drawGridY(context, frame, gain, [most, most / 2, 0, -most / 2, -most], "mute", true);
    const rest = bands.map((band) => (band.on ? band.gain_db : 0));
    const reading = useBench.getState().playing ? heardNow()?.meters.stages[stage.id] : undefined;
    const now = bands.map((band) => reading?.[`effort_${band.id}`]?.at(-1) ?? 0);
    const y = (db: number) => yAt(frame, gain, Math.max(gain.low, Math.min(gain.high, db)));
    bands.forEach((_, i) => {
      const [from, to] = [y(rest[i]!), y(rest[i]! + now[i]!)];
      context.fillStyle = colour("copper2");
      context.fillRect(
        edges[i]! + 5,
        Math.min(from, to),
        edges[i + 1]! - edges[i]! - 10,
        Math.abs(to - from),
      );
    });
    const xs = (picture?.hz ?? []).map((hz) => xAt(frame, HZ, hz));
    const parts = picture?.bands as unknown as number[][] | undefined;
    if (parts?.length === bands.length) {
      drawLine(context, frame, xs, bandsTotal(parts, rest).map(y), { ink: "rim", width: 1.2, dash: [5, 3] });
      const moment = bandsTotal(
        parts,
        rest.map((db, i) => db + now[i]!),
      );
      drawLine(context, frame, xs, moment.map(y), { ink: "copper", width: 2.2 });
    }
    context.font = "640 12px 'Archivo Variable', sans-serif";
    bands.forEach((band, i) => {
      const room = edges[i + 1]! - edges[i]! - 14;
      context.textAlign = "left";
      context.fillStyle = colour(band.on ? "rim" : "mute");
      const did = Math.abs(now[i]!) > 0.05 ? ` ${formatDb(now[i], true)}` : "";
      context.fillText(
        `${i + 1}${band.on ? did : " off"}`,
        edges[i]! + 8,
        frame.top + 16,
        Math.max(room, 10),
      );
    });
  });

  return (
    <div
      ref={box}
      className="picture touch-none"
      title="Shift-drag to solo a range"
      {...range.handlers}
      onClick={(event) => {
        const share =
          (event.clientX - event.currentTarget.getBoundingClientRect().left - 34) / (size.width - 44);
        const hz = back(HZ, share);
        choose(bands[corners.filter((corner) => corner < hz).length]!.id);
      }}
    >
      {range.shown && <DraggedValue shown={range.shown} />}
      <canvas ref={ref} role="img" aria-label="Gain of every band over the spectrum, at rest and now" />
      {size.width > 0 && <Crossovers stage={stage} frame={frameOf(size.width, size.height)} axis={HZ} />}
    </div>
  );
}
