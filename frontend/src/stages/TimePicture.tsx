import { memo, useRef } from "react";
import type { PointerEvent } from "react";
import type { Stage } from "../api/types";
import { overlay } from "../state/readings";
import { readings } from "../state/store";
import { formatDb } from "../ui/format";
import type { Axis } from "../ui/scale";
import { back } from "../ui/scale";
import { Playhead } from "../ui/Playhead";
import { colour, useMovingCanvas } from "../ui/useCanvas";
import { useDrag } from "../ui/useDrag";
import { useLatest } from "../ui/useLatest";
import { heardNow } from "../state/useLiveReadings";
import type { Frame } from "../plots/plot";
import { drawGridY, drawLegend, drawLine, levelAxis, ticksOf, yAt } from "../plots/plot";
import { SERIES_COLUMNS, usePassage, useSeries } from "./usePassage";

interface Props {
  stage: Stage;
  /** Which series it shows: what comes in, what is listened to, what is done. */
  reads?: { input: string; heard: string; effort: string };
  /** A level drawn across, in dB, such as a threshold; nothing where none is. */
  level: null | { db: number; label: string; onMove?: (db: number) => void; onRest?: () => void };
  /** What the stage listens to, in words; nothing where that is what comes in. */
  heardIs?: string;
  /** The lowest level that is ever shown, in dB. */
  deepestDb: number;
  /** Most effort that the lower part shows, in dB below 0; it grows where a stage works harder. */
  effortDb: number;
  /** Its own gain: what leaves it is drawn too, that much above what is left of the input. */
  leavesDb?: number;
}

const READS = { input: "input_db", heard: "heard_db", effort: "effort_db" };
const UPPER = 0.62;
const GAP = 16;
/** above the plot, for the legend */
const TOP = 22;
const DRAW_MS = 90;
const NEAR_PX = 9;
/** In less room than this the legend says only what is particular. */
const NARROW_PX = 330;

function frames(width: number, height: number): [Frame, Frame] {
  const left = 34;
  const inner = { left, width: width - left - 8 };
  const room = height - GAP - TOP - 6;
  const upper = { ...inner, top: TOP, height: room * UPPER };
  return [upper, { ...inner, top: upper.top + upper.height + GAP, height: room * (1 - UPPER) }];
}

/** The passage over time: what comes in, what the stage listens to, and below it what is taken off. */
export function TimePicture({ stage, reads = READS, level, ...shown }: Props) {
  const onMove = useLatest((db: number) => level?.onMove?.(db));
  const onRest = useLatest(() => level?.onRest?.());
  return (
    <Shown
      {...shown}
      {...reads}
      stage={stage.id}
      levelDb={level?.db ?? null}
      levelLabel={level?.label ?? ""}
      onMove={level?.onMove && onMove}
      onRest={onRest}
    />
  );
}

interface ShownProps extends Pick<Props, "heardIs" | "deepestDb" | "effortDb" | "leavesDb"> {
  stage: string;
  input: string;
  heard: string;
  effort: string;
  levelDb: number | null;
  levelLabel: string;
  onMove: ((db: number) => void) | undefined;
  onRest: () => void;
}

/** Left alone while values move that it does not show. */
const Shown = memo(function Shown(props: ShownProps) {
  const { stage, levelDb, levelLabel, onMove, onRest, heardIs, deepestDb, effortDb, leavesDb } = props;
  const passage = usePassage();
  const survey = useSeries(stage, passage)?.rows ?? null;
  const held = useRef(false);
  // as low as the music goes; it stands still while the level is in hand
  const axis = useRef<Axis>({ low: deepestDb, high: 0 });
  const [from, to] = passage;

  const ref = useMovingCanvas((context, width, height) => {
    const [upper, lower] = frames(width, height);
    const live = readings.columns(stage, from, to, SERIES_COLUMNS);
    const [came, heard, done] = [props.input, props.heard, props.effort].map((name) =>
      overlay(name, survey, live, SERIES_COLUMNS),
    ) as [number[], number[], number[]];
    const effort = effortAxis(done, effortDb);
    if (!held.current) axis.current = levelAxis(heard, levelDb ?? deepestDb / 2, deepestDb);
    const levels = axis.current;
    drawGridY(context, upper, levels, ticksOf(levels));
    drawGridY(context, lower, effort, ticksOfEffort(effort), "copper", effort.high > 0);
    const xs = came.map((_, i) => upper.left + ((i + 0.5) / SERIES_COLUMNS) * upper.width);
    const y = (frame: Frame, axis: Axis) => (db: number) => yAt(frame, axis, Math.max(axis.low, db));
    drawLine(context, upper, xs, came.map(y(upper, levels)), { ink: "tin", width: 1.1 });
    drawLine(context, upper, xs, heard.map(y(upper, levels)), { ink: "rim", width: 1.4 });
    if (leavesDb !== undefined) {
      const left = heard.map((db, i) => Math.min(0, db + leavesDb + (done[i] ?? 0)));
      drawLine(context, upper, xs, left.map(y(upper, levels)), { ink: "copper", width: 1.2 });
    }
    const depth = done.map(y(lower, effort));
    const nought = yAt(lower, effort, 0);
    context.fillStyle = colour("copper2");
    depth.forEach((at, i) => {
      if (!Number.isNaN(at) && at !== nought)
        context.fillRect(
          xs[i]! - 0.6,
          Math.min(nought, at),
          lower.width / SERIES_COLUMNS + 0.6,
          Math.abs(at - nought),
        );
    });
    drawLine(context, lower, xs, depth, { ink: "copper", width: 1.3 });
    if (levelDb !== null) drawLevel(context, upper, levels, levelDb, levelLabel);
    const narrow = width < NARROW_PX;
    drawLegend(context, upper, [
      ...(heardIs && !narrow ? [{ ink: "tin", text: "input" }] : []),
      { ink: "rim", text: heardIs ?? "input" },
      leavesDb === undefined
        ? { ink: "copper", text: effort.high > 0 ? "gain" : "gain reduction" }
        : { ink: "copper", text: "output" },
    ]);
  }, DRAW_MS);

  const dbAt = (event: PointerEvent<HTMLElement>) => {
    const box = event.currentTarget.getBoundingClientRect();
    const [upper] = frames(box.width, box.height);
    const share = 1 - (event.clientY - box.top - upper.top) / upper.height;
    return { db: Math.round(back(axis.current, share) * 10) / 10, y: event.clientY - box.top, upper };
  };
  const grabs = (event: PointerEvent<HTMLElement>) => {
    const { y, upper } = dbAt(event);
    return (
      onMove !== undefined && levelDb !== null && Math.abs(y - yAt(upper, axis.current, levelDb)) <= NEAR_PX
    );
  };
  const drag = useDrag({
    grab: (event) => {
      held.current = grabs(event);
      return held.current || null;
    },
    move: (event) => onMove?.(Math.max(deepestDb, Math.min(0, dbAt(event).db))),
    rest: () => {
      held.current = false;
      onRest();
    },
  });

  return (
    <div className="picture">
      <canvas
        ref={ref}
        role="img"
        aria-label={`${levelLabel || "Levels"} over the passage: what is listened to, and the gain below it`}
        className="touch-none"
        {...drag}
        onPointerMove={(event) => {
          event.currentTarget.style.cursor = held.current || grabs(event) ? "ns-resize" : "default";
          drag.onPointerMove(event);
        }}
      />
      <Playhead
        style={{ top: TOP, bottom: 6 }}
        at={(width) => {
          const [upper] = frames(width, 0);
          const at = heardNow()?.song ?? -1;
          return at < from || at >= to ? null : upper.left + ((at - from) / (to - from)) * upper.width;
        }}
      />
    </div>
  );
});

/** From what is taken off most to what is added most, in steps of 2 dB. */
function effortAxis(done: readonly number[], least: number): Axis {
  const low = done.reduce((most, db) => (db < most ? db : most), 0);
  const high = done.reduce((most, db) => (db > most ? db : most), 0);
  const up = high > 0.05 ? Math.ceil(high / 2) * 2 : 0;
  return { low: up && low > -0.05 ? 0 : -Math.max(up ? 2 : least, Math.ceil(-low / 2) * 2), high: up };
}

function ticksOfEffort({ low, high }: Axis): number[] {
  return high > 0 ? [high, 0, ...(low < 0 ? [low] : [])] : [0, low / 2, low];
}

function drawLevel(
  context: CanvasRenderingContext2D,
  frame: Frame,
  axis: Axis,
  db: number,
  label: string,
): void {
  const y = yAt(frame, axis, Math.max(axis.low, Math.min(axis.high, db)));
  context.fillStyle = colour("copper");
  context.fillRect(frame.left, y - 0.7, frame.width, 1.4);
  context.fillRect(frame.left + frame.width - 54, y - 8, 54, 16);
  context.fillStyle = colour("well");
  context.font = "650 10.5px 'Archivo Variable', sans-serif";
  context.textAlign = "center";
  context.fillText(label || formatDb(db), frame.left + frame.width - 27, y + 4);
}
