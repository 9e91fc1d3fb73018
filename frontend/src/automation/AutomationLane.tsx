import { Popover } from "radix-ui";
import { memo, useCallback, useMemo, useRef, useState } from "react";
import type { KeyboardEvent, PointerEvent } from "react";
import type { Grid, Param, Point } from "../api/types";
import { edit } from "../state/edits";
import { heardSong, seek } from "../state/listening";
import { riddenNow, useRiding } from "../state/automationRecording";
import { rest } from "../state/saving";
import type { Span } from "../state/store";
import { useBench } from "../state/store";
import { useLiveReadings } from "../state/useLiveReadings";
import type { Sections } from "../tree/valueCurve";
import { rideOf, timed, withRide } from "../tree/valueCurve";
import { addPoint, copyPoints, movePoints, pastePoints, removePoints, scalePoints } from "../tree/lanePoints";
import type { CopiedPoints } from "../tree/lanePoints";
import { formatTime, tellValue } from "../ui/format";
import { useCanvas } from "../ui/useCanvas";
import { useDrag } from "../ui/useDrag";
import { useSize } from "../ui/useSize";
import { drawLane } from "./laneDrawing";
import type { LaneGeometry } from "./laneGeometry";
import {
  LANE_PX,
  pointAt,
  pointsIn,
  rangeOf,
  secondsAt,
  shareAt,
  shareOf,
  snapped,
  valueOf,
  xOfSeconds,
  yOf,
} from "./laneGeometry";
import { PointCard } from "./PointCard";

interface Props {
  target: string;
  path: string;
  title: string;
  param: Param;
  points: Point[];
  sections: Sections;
  view: Span;
  grid: Grid | null;
  trace: [number, Point["value"]][];
}

interface Dragged {
  x: number;
  y: number;
  /** the points that are dragged as they were, or nothing where a box is drawn */
  points: Point[] | null;
  index: number;
  chosen: ReadonlySet<number>;
  moved: boolean;
}

const STEP_S = 0.1;
const FINE_S = 0.01;
const CLICK_PX = 3;
/** A drag is heard so often. */
const HEARD_MS = 60;
const NOTHING: ReadonlySet<number> = new Set();

/** What was copied last, on any lane. */
let clipboard: CopiedPoints | null = null;

/** One ridden value over the song: its points are dragged, typed, added, chosen in groups, scaled and copied. */
export const AutomationLane = memo(function AutomationLane(props: Props) {
  const { target, path, title, param, points: given, sections, view, grid, trace } = props;
  const { rate_hz: rateHz, frames } = useBench((s) => s.song)!;
  const [draft, setDraft] = useState<Point[] | null>(null);
  const [chosen, setChosen] = useState<ReadonlySet<number>>(NOTHING);
  const [at, setAt] = useState<number | null>(null);
  const [open, setOpen] = useState(false);
  const [box, setBox] = useState<[number, number, number, number] | null>(null);
  const field = useRef<HTMLDivElement>(null);
  const size = useSize(field);
  const heardAt = useRef(0);
  const points = draft ?? given;
  const course = useMemo(() => timed(points, sections), [points, sections]);
  // a range that changed under the hand would move the point away from it
  const range = useMemo(() => rangeOf(param, given), [param, given]);
  const [kept, setKept] = useState<[number, number] | null>(null);
  const [low, high] = kept ?? range;
  const lane: LaneGeometry = {
    view,
    rateHz,
    width: Math.max(1, size.width),
    height: LANE_PX,
    range: [low, high],
  };
  const name = `${title} ${param.label.toLowerCase()}`;
  const scale =
    param.type === "number" || param.type === "numbers"
      ? { low: param.low ?? 0, high: param.high ?? 1, scale: param.scale }
      : null;
  const held = useRiding((s) => s.held.find((touch) => touch.target === target && touch.param === path));
  const now = useLiveReadings(() => riddenNow(useBench.getState().recipe!, target, path));
  const told = (value: Point["value"] | null) => (value === null ? "" : tellValue(param, value));

  const draw = useCallback(
    (context: CanvasRenderingContext2D, width: number, height: number) =>
      drawLane(context, {
        lane: { view: [view[0], view[1]], rateHz, width, height, range: [low, high] },
        param,
        course,
        chosen,
        at,
        grid,
        trace,
        box,
      }),
    [view, rateHz, low, high, param, course, chosen, at, grid, trace, box],
  );

  const change = (next: Point[], label: string, resting: boolean) => {
    const { recipe } = useBench.getState();
    if (!recipe) return;
    const ride = rideOf(recipe, target, path) ?? { target, param: path, points: [] };
    edit(withRide(recipe, { ...ride, points: next }), `${name}: ${label}`, resting);
  };
  const spot = (event: {
    clientX: number;
    clientY: number;
    currentTarget: HTMLElement;
  }): [number, number] => {
    const { left, top } = event.currentTarget.getBoundingClientRect();
    return [event.clientX - left, event.clientY - top];
  };

  const drag = useDrag<Dragged>({
    grab: (event: PointerEvent<HTMLElement>) => {
      const [x, y] = spot(event);
      event.currentTarget.focus();
      const index = pointAt(lane, course, param, x, y);
      if (index === null) {
        if (!event.shiftKey) setChosen(NOTHING);
        return { x, y, points: null, index: -1, chosen: event.shiftKey ? chosen : NOTHING, moved: false };
      }
      const both = new Set([...chosen, index]);
      const next = event.shiftKey || chosen.has(index) ? both : new Set([index]);
      setChosen(next);
      setAt(index);
      setKept(range);
      return { x, y, points: given, index, chosen: next, moved: false };
    },
    move: (event, drag) => {
      const [x, y] = spot(event);
      if (!drag.moved && Math.abs(x - drag.x) < CLICK_PX && Math.abs(y - drag.y) < CLICK_PX) return;
      drag.moved = true;
      if (!drag.points) {
        setBox([drag.x, drag.y, x, y]);
        setChosen(new Set([...drag.chosen, ...pointsIn(lane, course, param, [drag.x, drag.y], [x, y])]));
        return;
      }
      const start = timed(drag.points, sections).find(({ index }) => index === drag.index)!;
      const wanted = start.seconds + secondsAt(lane, x) - secondsAt(lane, drag.x);
      // one direction is meant where Shift is held
      const [alongX, alongY] = event.shiftKey
        ? Math.abs(x - drag.x) > Math.abs(y - drag.y)
          ? [true, false]
          : [false, true]
        : [true, true];
      const aim = event.altKey ? wanted : snapped(lane, wanted, sections, grid);
      const share = shareAt(lane, y) - shareAt(lane, drag.y);
      const moved = movePoints(
        drag.points,
        drag.chosen,
        { seconds: alongX ? aim - start.seconds : 0, share: alongY ? share : 0 },
        scale,
        sections,
        frames / rateHz,
      );
      const next = scale
        ? moved.map((point, i) =>
            drag.chosen.has(i) && alongY && typeof point.value === "number"
              ? { ...point, value: valueOf(param, shareOf(param, point.value)) }
              : point,
          )
        : alongY
          ? moved.map((point, i) =>
              i === drag.index ? { ...point, value: valueOf(param, shareAt(lane, y)) } : point,
            )
          : moved;
      setDraft(next);
      if (performance.now() - heardAt.current < HEARD_MS) return;
      heardAt.current = performance.now();
      change(next, "points moved", false);
    },
    rest: () => {
      setBox(null);
      setKept(null);
      if (draft) change(draft, "points moved", false);
      setDraft(null);
      rest();
    },
  });

  const select = (index: number, more: boolean) => {
    setAt(index);
    setChosen(more ? new Set([...chosen, index]) : new Set([index]));
  };
  const add = (seconds: number, value: Point["value"]) => {
    const made = addPoint(given, seconds, value, sections);
    change(made.points, "a point", true);
    select(made.index, false);
  };
  const remove = () => {
    if (chosen.size === 0) return;
    change(removePoints(given, chosen), chosen.size === 1 ? "a point removed" : "points removed", true);
    setChosen(NOTHING);
    setAt(null);
  };
  const keys = (event: KeyboardEvent<HTMLElement>) => {
    const by = event.shiftKey ? FINE_S : STEP_S;
    const order = course.map(({ index }) => index);
    const place = at === null ? -1 : order.indexOf(at);
    const ctrl = event.ctrlKey || event.metaKey;
    const moveBy = (seconds: number, share: number) => {
      if (chosen.size)
        change(
          movePoints(given, chosen, { seconds, share }, scale, sections, frames / rateHz),
          "points moved",
          false,
        );
    };
    const switchOver = (up: boolean) =>
      change(
        given.map((point, i) => (chosen.has(i) ? { ...point, value: valueOf(param, up ? 1 : 0) } : point)),
        "switched",
        true,
      );
    const section = () => {
      const seconds = heardSong() / rateHz;
      return sections.find((s) => s.start_s <= seconds && seconds < s.end_s)?.id;
    };
    const acts: Record<string, (() => void) | undefined> = {
      ArrowRight: () => moveBy(by, 0),
      ArrowLeft: () => moveBy(-by, 0),
      ArrowUp: () => (scale ? moveBy(0, event.shiftKey ? 0.002 : 0.02) : switchOver(true)),
      ArrowDown: () => (scale ? moveBy(0, event.shiftKey ? -0.002 : -0.02) : switchOver(false)),
      "Alt+ArrowUp": () =>
        scale && change(scalePoints(given, chosen, 1.1, scale), "points drawn apart", false),
      "Alt+ArrowDown": () =>
        scale && change(scalePoints(given, chosen, 1 / 1.1, scale), "points drawn together", false),
      PageDown: () => select(order[Math.min(order.length - 1, place + 1)] ?? 0, event.shiftKey),
      PageUp: () => select(order[Math.max(0, place - 1)] ?? 0, event.shiftKey),
      Insert: () => add(heardSong() / rateHz, now ?? valueOf(param, 0.5)),
      Enter: () => (at === null ? add(heardSong() / rateHz, now ?? valueOf(param, 0.5)) : setOpen(true)),
      Delete: remove,
      Backspace: remove,
      "Ctrl+a": () => setChosen(new Set(order)),
      "Ctrl+c": () => (clipboard = copyPoints(given, chosen, sections)),
      "Ctrl+v": () => {
        const here = section();
        if (clipboard && here)
          change(pastePoints(given, clipboard, here, sections), "points copied to a section", true);
      },
      Escape: chosen.size
        ? () => {
            setChosen(NOTHING);
            setAt(null);
          }
        : undefined,
    };
    const act = acts[`${ctrl ? "Ctrl+" : ""}${event.altKey ? "Alt+" : ""}${event.key}`];
    if (!act) return;
    act();
    event.preventDefault();
    event.stopPropagation();
  };

  const here = at === null ? undefined : course.find(({ index }) => index === at);
  const x = here ? xOfSeconds(lane, here.seconds) : 0;
  return (
    <>
      <div
        className="flex flex-col justify-center border-r border-faint pr-2 text-right leading-[1.15]"
        style={{ height: LANE_PX }}
      >
        <b
          className={`truncate text-[11.5px] font-[620] [font-stretch:84%] ${held ? "text-copper" : ""}`}
          title={name}
        >
          {held ? "● " : ""}
          {name}
        </b>
        <span className="text-[10.5px] text-mute">{told(held?.value ?? now)}</span>
      </div>
      <div
        ref={field}
        role="slider"
        tabIndex={0}
        aria-label={
          here
            ? `${name}, point ${course.indexOf(here) + 1} of ${course.length}`
            : `${name}, ${course.length} points`
        }
        aria-valuemin={0}
        aria-valuemax={100}
        aria-valuenow={here ? Math.round(100 * shareOf(param, here.point.value)) : 0}
        aria-valuetext={
          here
            ? `${told(here.point.value)} at ${formatTime(here.seconds, 2)}, then ${here.point.ramp}`
            : "Page Down goes to the first point, Enter makes one"
        }
        data-lane={`${target} ${path}`}
        className="relative min-w-0 touch-none -outline-offset-1"
        style={{ height: LANE_PX }}
        {...drag}
        onClick={(event) => {
          const [at_x, y] = spot(event);
          if (!box && !event.shiftKey && pointAt(lane, course, param, at_x, y) === null && event.detail === 1)
            seek(secondsAt(lane, at_x) * rateHz);
        }}
        onDoubleClick={(event) => {
          const [at_x, y] = spot(event);
          const index = pointAt(lane, course, param, at_x, y);
          if (index !== null) {
            select(index, false);
            setOpen(true);
          } else {
            const seconds = secondsAt(lane, at_x);
            add(
              event.altKey ? seconds : snapped(lane, seconds, sections, grid),
              valueOf(param, shareAt(lane, y)),
            );
          }
        }}
        onKeyDown={keys}
        onKeyUp={rest}
      >
        <canvas ref={useCanvas(draw)} aria-hidden className="absolute inset-0 h-full w-full" />
        <Popover.Root open={open && here !== undefined} onOpenChange={setOpen}>
          <Popover.Anchor asChild>
            <span
              aria-hidden
              className="pointer-events-none absolute h-px w-px"
              style={{ left: x, top: here ? yOf(lane, shareOf(param, here.point.value)) : 0 }}
            />
          </Popover.Anchor>
          <Popover.Portal>
            <Popover.Content
              className="menu p-2!"
              side="bottom"
              sideOffset={8}
              onKeyDown={(event) => event.stopPropagation()}
            >
              {here && (
                <PointCard
                  param={param}
                  point={here.point}
                  seconds={here.seconds}
                  onChange={(next) =>
                    change(
                      given.map((point, i) =>
                        i === here.index || (chosen.has(i) && "ramp" in next) ? { ...point, ...next } : point,
                      ),
                      "a point",
                      true,
                    )
                  }
                  onRemove={() => {
                    setOpen(false);
                    remove();
                  }}
                  onDone={() => setOpen(false)}
                />
              )}
            </Popover.Content>
          </Popover.Portal>
        </Popover.Root>
      </div>
      <span className="border-l border-faint" />
    </>
  );
});
