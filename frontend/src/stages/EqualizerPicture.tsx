import { useRef, useState } from "react";
import type { KeyboardEvent, PointerEvent, WheelEvent } from "react";
import type { Channels } from "../api/types";
import { useBench } from "../state/store";
import { formatDb, formatHz } from "../ui/format";
import type { Axis } from "../ui/scale";
import { back } from "../ui/scale";
import { colour, useMovingCanvas } from "../ui/useCanvas";
import { useSize } from "../ui/useSize";
import { indexOf, noteName } from "../plots/spectrum";
import { addBand, heldGain, heldHz, MOST_BANDS, plotOf, reachDb } from "./bands";
import { changeBands } from "./bandEdits";
import type { EqualizerStage } from "./bandEdits";
import { DraggedValue } from "../plots/DraggedValue";
import { EqualizerBandHandle } from "./EqualizerBandHandle";
import type { Frame } from "../plots/plot";
import { HZ_AXIS, drawGridX, drawGridY, drawLine, HZ_TICKS, hzLabel, xAt, yAt } from "../plots/plot";
import { hearBandAround } from "../plots/searchBand";
import { drawSpectra, nameFrozen, rowFor, spectra } from "../plots/useSpectra";
import { useRangeDrag } from "../plots/useRangeDrag";

const NAMES: Record<Channels, string> = {
  stereo: "Stereo",
  mid: "Mid",
  side: "Side",
  left: "Left",
  right: "Right",
};

const SEMITONE = 2 ** (1 / 12);
/** What a pin placed by searching takes off. */
const SEARCHED_DB = -2;

interface Props {
  stage: EqualizerStage;
  chosen: string | null;
  choose: (id: string | null) => void;
  searching: boolean;
}

function inkOf(plot: Channels): string {
  return plot === "side" || plot === "right" ? "plum" : "rim";
}

function partOf(plot: Channels): 0 | 1 | null {
  return plot === "mid" ? 0 : plot === "side" ? 1 : null;
}

/** Plots stacked on one frequency axis. */
function frames(width: number, height: number, count: number): Frame[] {
  const tall = (height - 22) / count;
  return Array.from({ length: count }, (_, i) => ({
    left: 34,
    top: 8 + i * tall,
    width: width - 44,
    height: tall - 8,
  }));
}

/** Mid over side, or one plot, or left over right, as the bands ask; pins on stems, spectra behind. */
export function EqualizerPicture({ stage, chosen, choose, searching }: Props) {
  const picture = useBench((s) => s.described[stage.id]?.picture);
  const { bands } = stage.params;
  const plots = Object.keys(picture?.plots ?? { stereo: [] }) as Channels[];
  const rateHz = useBench((s) => s.song!.rate_hz);
  const box = useRef<HTMLDivElement>(null);
  const size = useSize(box);
  const reach = reachDb(bands);
  const gain: Axis = { low: -reach, high: reach };
  const [spot, setSpot] = useState<{ hz: number; plot: number; x: number } | null>(null);
  const range = useRangeDrag(HZ_AXIS, { left: 34, right: 10 });
  const laid = frames(size.width, size.height, plots.length);

  const ref = useMovingCanvas((context, width, height) => {
    spectra.update();
    frames(width, height, plots.length).forEach((frame, index) => {
      const plot = plots[index]!;
      const levels = [reach, reach / 2, 0, -reach / 2];
      // the lowest figure of one plot would lie on the highest of the next
      if (index === plots.length - 1) levels.push(-reach);
      drawGridY(context, frame, gain, levels, "mute", true);
      drawGridX(context, frame, HZ_AXIS, HZ_TICKS, index === plots.length - 1 ? hzLabel : () => "");
      drawSpectra(context, frame, HZ_AXIS, partOf(plot));
      const xs = (picture?.hz ?? []).map((hz) => xAt(frame, HZ_AXIS, hz));
      const y = (db: number) => yAt(frame, gain, Math.max(-reach - 2, Math.min(reach + 2, db)));
      for (const band of bands)
        if (plotOf(band, plots) === plot && picture?.bands?.[band.id])
          drawLine(context, frame, xs, picture.bands[band.id]!.map(y), {
            ink: band.id === chosen ? "copper" : inkOf(plot),
            width: 0.8,
            dash: [3, 3],
          });
      drawLine(context, frame, xs, (picture?.plots?.[plot] ?? []).map(y), { ink: inkOf(plot), width: 2.4 });
      context.fillStyle = colour(inkOf(plot));
      context.font = "680 12.5px 'Archivo Variable', sans-serif";
      context.textAlign = "left";
      context.fillText(NAMES[plot], frame.left + 8, frame.top + 15);
      if (index === 0) nameFrozen(context, frame);
    });
    if (spot && searching) {
      context.fillStyle = colour("copper");
      context.fillRect(spot.x - 0.5, 8, 1, height - 26);
    }
  });

  const where = (event: PointerEvent<HTMLElement> | WheelEvent<HTMLElement>) => {
    const rect = box.current!.getBoundingClientRect();
    const [x, y] = [event.clientX - rect.left, event.clientY - rect.top];
    const plot = Math.max(
      0,
      Math.min(plots.length - 1, Math.floor((y - 8) / ((size.height - 22) / plots.length))),
    );
    const frame = laid[plot]!;
    return {
      x,
      plot,
      hz: heldHz(back(HZ_AXIS, Math.max(0, Math.min(1, (x - frame.left) / frame.width))), rateHz),
      gain: heldGain(back(gain, 1 - (y - frame.top) / frame.height)),
    };
  };

  /** After a pin was removed the keys are its neighbour's, or the picture's: never the stage's. */
  const goOn = (neighbour: string | null) => {
    choose(neighbour);
    const pin = neighbour && box.current?.querySelector<HTMLElement>(`[data-band="${neighbour}"]`);
    (pin || box.current)?.focus();
  };

  const create = (at: { hz: number; plot: number }, gainDb: number) => {
    if (bands.length >= MOST_BANDS) return;
    const made = addBand(bands, { hz: at.hz, gain_db: gainDb, channels: plots[at.plot]! });
    changeBands(stage, made.bands, `band at ${formatHz(at.hz)}`, true);
    choose(made.id);
  };

  const search = (at: { hz: number; plot: number; x: number }) => {
    setSpot(at);
    hearBandAround(at.hz);
  };

  /** Delete is never the stage's here; while one searches, arrows sweep the band and Enter places a pin. */
  const key = (event: KeyboardEvent<HTMLElement>) => {
    const by = { ArrowRight: SEMITONE, ArrowLeft: 1 / SEMITONE }[event.key];
    const at = spot ?? { hz: 1000, plot: 0, x: 0 };
    if (searching && by !== undefined) {
      const hz = heldHz(at.hz * by, rateHz);
      search({ hz, plot: at.plot, x: xAt(laid[at.plot]!, HZ_AXIS, hz) });
    } else if (searching && event.key === "Enter" && event.target === box.current) create(at, SEARCHED_DB);
    else if (event.key !== "Delete") return;
    event.preventDefault();
    event.stopPropagation();
  };

  const level =
    spot && spectra.now ? rowFor(spectra.now, partOf(plots[spot.plot]!))[indexOf(spot.hz)] : undefined;
  return (
    <div
      ref={box}
      {...range.handlers}
      className="picture touch-none"
      data-testid="equalizer"
      role="group"
      aria-label={searching ? "Searching: arrows sweep a narrow band, Enter makes a band" : "Bands"}
      tabIndex={searching ? 0 : -1}
      onKeyDown={key}
      onDoubleClick={(event) =>
        !searching &&
        create(
          where(event as unknown as PointerEvent<HTMLElement>),
          where(event as unknown as PointerEvent<HTMLElement>).gain,
        )
      }
      onPointerMove={(event) => (searching ? search(where(event)) : setSpot(where(event)))}
      onPointerLeave={() => setSpot(null)}
      onClick={(event) => {
        if (searching) create(where(event as unknown as PointerEvent<HTMLElement>), SEARCHED_DB);
      }}
    >
      {range.shown && <DraggedValue shown={range.shown} />}
      <canvas ref={ref} role="img" aria-label="Curves of the equalizer over the spectrum of the music" />
      {bands.map((band, index) => {
        const plot = plots.indexOf(plotOf(band, plots));
        const frame = laid[plot];
        if (!frame || size.width === 0) return null;
        return (
          <EqualizerBandHandle
            key={band.id}
            stage={stage}
            band={band}
            number={index + 1}
            frame={frame}
            gain={gain}
            chosen={band.id === chosen}
            choose={choose}
            onRemoved={goOn}
            where={where}
          />
        );
      })}
      {spot && (
        <span
          className={`pointer-events-none absolute px-[6px] ${searching ? "top-[10px] bg-copper py-[2px] font-[620] text-on-rim" : "bottom-[18px] bg-ink py-px text-[10.5px] text-page"}`}
          style={spot.x > size.width - 170 ? { right: size.width - spot.x + 6 } : { left: spot.x + 6 }}
        >
          {formatHz(spot.hz)} · {noteName(spot.hz)} · {formatDb(level)}
        </span>
      )}
    </div>
  );
}
