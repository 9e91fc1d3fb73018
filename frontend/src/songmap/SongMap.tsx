import { Popover } from "radix-ui";
import { memo, useCallback, useRef, useState } from "react";
import type { PointerEvent, WheelEvent } from "react";
import { allStages } from "../bench/editing";
import { heardSong, seek, select, setLoop, setView } from "../bench/listening";
import type { Span } from "../bench/store";
import { complain, edit, kindInfo, useBench } from "../bench/store";
import { api } from "../api/client";
import { formatDb, formatTime } from "../ui/format";
import { Playhead } from "../ui/Playhead";
import { useCanvas } from "../ui/useCanvas";
import { drawMap, drawOverlay, drawScope } from "./drawing";
import type { MapPicture, Row } from "./drawing";
import { MapNotes } from "./MapNotes";
import {
  BAND_HEIGHT,
  boundaryAt,
  dragged,
  flagAt,
  frameAt,
  loopEdgeAt,
  mapHeight,
  ROW_STEP,
  ROWS_TOP,
  withBoundary,
  withEdge,
  xOf,
  zoneAt,
  zoomed,
} from "./geometry";
import type { ExtraRow } from "./useMap";
import { EXTRA_ROWS, useMap, useView } from "./useMap";

type Held = { x: number } & ({ kind: "loop"; edge: 0 | 1 | null } | { kind: "boundary"; index: number });

export function SongMap() {
  const song = useBench((s) => s.song)!;
  const recipe = useBench((s) => s.recipe)!;
  const loop = useBench((s) => s.loop);
  const dark = useBench((s) => s.dark);
  const [extra, setExtra] = useState<ExtraRow[]>([]);
  const view = useView();
  const { survey, received, mastered, rows, scope } = useMap(extra);
  const [draft, setDraft] = useState<Span | null>(null);
  const [sections, setSections] = useState<typeof recipe.sections | null>(null);
  const [hover, setHover] = useState<{ x: number; text: string } | null>(null);
  const [renaming, setRenaming] = useState<string | null>(null);
  const drag = useRef<Held | null>(null);
  const { frames, rate_hz: rateHz } = song;
  const flags = (survey?.findings ?? []).map(({ at_s }) => at_s);
  const shownSections = sections ?? recipe.sections;
  const picture = {
    view,
    rateHz,
    sections: shownSections,
    received,
    mastered,
    progress: survey?.progress ?? null,
    rows,
    flags,
  };

  const place = (event: PointerEvent<HTMLElement> | WheelEvent<HTMLElement>) => {
    const box = event.currentTarget.getBoundingClientRect();
    return { x: event.clientX - box.left, y: event.clientY - box.top, width: box.width };
  };

  const down = (event: PointerEvent<HTMLElement>) => {
    if (event.button !== 0) return;
    const { x, y, width } = place(event);
    event.currentTarget.setPointerCapture(event.pointerId);
    setHover(null);
    if (y < BAND_HEIGHT) {
      const boundary = boundaryAt(x, recipe.sections, width, view, rateHz);
      if (boundary !== null) {
        drag.current = { x, kind: "boundary", index: boundary };
        return;
      }
      const at = frameAt(x, width, view) / rateHz;
      const section = recipe.sections.find((s) => s.start_s <= at && at < s.end_s);
      if (section)
        setLoop([Math.round(section.start_s * rateHz), Math.min(frames, Math.round(section.end_s * rateHz))]);
      return;
    }
    drag.current = { x, kind: "loop", edge: loopEdgeAt(x, loop, width, view) };
  };

  const move = (event: PointerEvent<HTMLElement>) => {
    const { x, y, width } = place(event);
    const held = drag.current;
    const inBand = y < BAND_HEIGHT;
    const grips = inBand
      ? boundaryAt(x, recipe.sections, width, view, rateHz) !== null
      : loopEdgeAt(x, loop, width, view) !== null;
    event.currentTarget.style.cursor = grips ? "ew-resize" : inBand ? "pointer" : "text";
    const frame = frameAt(x, width, view);
    if (!held) setHover({ x, text: reading(y, x / width, frame / rateHz, rows) });
    else if (held.kind === "boundary") setSections(withBoundary(recipe.sections, held.index, frame / rateHz));
    else if (held.edge !== null && loop) setDraft(withEdge(loop, held.edge, frame, frames, rateHz));
    else setDraft(dragged(held.x, x, width, view));
  };

  const up = (event: PointerEvent<HTMLElement>) => {
    const held = drag.current;
    drag.current = null;
    setDraft(null);
    if (!held) return;
    const { x, y, width } = place(event);
    if (held.kind === "boundary") {
      if (sections) edit({ ...recipe, sections }, "Move a section's edge", true);
      setSections(null);
    } else if (draft) setLoop(draft);
    else if (held.edge === null) {
      const flag = flagAt(x, y, flags, width, view, rateHz);
      const zone = zoneAt(y, rows.length);
      const dynamic = allStages(recipe).filter((s) => s.on && kindInfo(s.kind)?.dynamic);
      const stage = zone.kind === "row" ? dynamic[zone.row ?? 0] : undefined;
      if (stage) select(stage.id);
      seek(flag === null ? frameAt(x, width, view) : (flags[flag]! - 1) * rateHz);
    }
  };

  const wheel = (event: WheelEvent<HTMLElement>) => {
    const { x, width } = place(event);
    if (event.shiftKey || Math.abs(event.deltaX) > Math.abs(event.deltaY)) {
      const by = ((event.deltaX || event.deltaY) / width) * (view[1] - view[0]);
      setView([view[0] + by, view[1] + by]);
    } else setView(zoomed(view, frameAt(x, width, view), 1.0025 ** event.deltaY, frames));
  };

  return (
    <section
      aria-label="Song map"
      className="grid min-h-0 grid-cols-[118px_1fr_232px] border-b border-line bg-enamel max-[1100px]:grid-cols-[104px_1fr_206px]"
      style={{ height: mapHeight(rows.length) }}
    >
      <div className="relative border-r border-faint">
        <span className="cap absolute top-[4px] right-2">sections</span>
        <span className="cap absolute top-[36px] right-2">as received</span>
        <span className="cap absolute top-[80px] right-2">as mastered</span>
        {rows.map((row, index) => (
          <b
            key={index}
            className="absolute right-2 max-w-[104px] truncate max-[1100px]:max-w-[92px] text-[11.5px] font-[620]"
            style={{ top: ROWS_TOP - 2 + index * ROW_STEP }}
          >
            {row.title}
          </b>
        ))}
        <MapTools extra={extra} setExtra={setExtra} />
      </div>
      <div
        className="relative min-w-0 touch-none overflow-hidden"
        data-testid="songmap"
        onPointerDown={down}
        onPointerMove={move}
        onPointerUp={up}
        onPointerLeave={() => setHover(null)}
        onWheel={wheel}
        onDoubleClick={(event) => {
          const box = event.currentTarget.getBoundingClientRect();
          if (event.clientY - box.top >= BAND_HEIGHT) return;
          const at = frameAt(event.clientX - box.left, box.width, view) / rateHz;
          setRenaming(recipe.sections.find((s) => s.start_s <= at && at < s.end_s)?.id ?? null);
        }}
      >
        <StillMap picture={picture} scope={scope} theme={dark} />
        <Overlay view={view} loop={draft ?? loop} hover={hover?.x ?? null} theme={dark} />
        <Playhead
          style={{ top: BAND_HEIGHT - 3, bottom: 0 }}
          handle
          at={(width) => {
            const x = xOf(heardSong(), width, view);
            return x < 0 || x > width ? null : x;
          }}
        />
        {recipe.sections.length === 0 && <ProposeSections />}
        {renaming && <RenameSection id={renaming} view={view} onDone={() => setRenaming(null)} />}
        {hover && (
          <span
            className="pointer-events-none absolute bottom-[2px] bg-ink px-[6px] py-[1px] text-[10.5px] text-page"
            style={hover.x > 500 ? { right: `calc(100% - ${hover.x - 6}px)` } : { left: hover.x + 6 }}
          >
            {hover.text}
          </span>
        )}
      </div>
      <MapNotes />
    </section>
  );
}

interface StillProps {
  picture: MapPicture;
  scope: { before: number[]; after: number[] } | undefined;
  theme: boolean;
}

/** Whether two pictures are the same: the pointer's moves must not draw a thousand columns anew. */
function isSame(a: StillProps, b: StillProps): boolean {
  const [one, two] = [a.picture, b.picture];
  return (
    a.theme === b.theme &&
    a.scope === b.scope &&
    one.view.join() === two.view.join() &&
    one.sections === two.sections &&
    one.received === two.received &&
    one.mastered === two.mastered &&
    one.progress === two.progress &&
    one.flags.join() === two.flags.join() &&
    one.rows.length === two.rows.length &&
    one.rows.every((row, i) => row.title === two.rows[i]?.title && sameValues(row, two.rows[i]))
  );
}

/** Rows that are made of others at every turn are compared by what they show. */
function sameValues(a: Row, b: Row | undefined): boolean {
  return a.values === b?.values || (a.kind === "wave" && a.values?.join() === b?.values?.join());
}

const StillMap = memo(function StillMap({ picture, scope, theme }: StillProps) {
  const draw = useCallback(
    (context: CanvasRenderingContext2D, width: number) => {
      drawMap(context, width, picture);
      if (scope) drawScope(context, width, scope.before, scope.after);
    },
    [picture, scope],
  );
  return <canvas ref={useCanvas(draw)} data-theme-dark={theme} className="absolute inset-0 h-full w-full" />;
}, isSame);

interface OverlayProps {
  view: Span;
  loop: Span | null;
  hover: number | null;
  theme: boolean;
}

/** Loop and pointer, over the map. */
const Overlay = memo(function Overlay({ view, loop, hover, theme }: OverlayProps) {
  const [from, to] = view;
  const draw = useCallback(
    (context: CanvasRenderingContext2D, width: number, height: number) =>
      drawOverlay(context, width, height, [from, to], loop, hover),
    [from, to, loop, hover],
  );
  return <canvas ref={useCanvas(draw)} data-theme-dark={theme} className="absolute inset-0 h-full w-full" />;
});

/** What lies under the pointer, in words. */
function reading(y: number, share: number, at_s: number, rows: Row[]): string {
  const zone = zoneAt(y, rows.length);
  const row = zone.kind === "row" ? rows[zone.row ?? 0] : undefined;
  const value = row?.values?.[Math.min(row.values.length - 1, Math.floor(share * row.values.length))];
  const time = formatTime(at_s, 2);
  if (!row || value === undefined || value === null) return time;
  const said = {
    effort: formatDb(value),
    loudness: formatDb(value, false, " LUFS"),
    peaks: formatDb(20 * Math.log10(Math.max(value, 1e-6)), false, " dBTP"),
    correlation: value.toFixed(2).replace("-", "−"),
    wave: formatDb(20 * Math.log10(Math.max(value, 1e-6)), false, " dBFS"),
  }[row.kind];
  return `${time} · ${row.title} ${said}`;
}

/** Zoom, and which rows there are. */
function MapTools({ extra, setExtra }: { extra: ExtraRow[]; setExtra: (rows: ExtraRow[]) => void }) {
  const song = useBench((s) => s.song)!;
  const zoomedIn = useBench((s) => s.view) !== null;
  const view = useView();
  const loop = useBench((s) => s.loop);
  const nearer = (factor: number) => setView(zoomed(view, heardSong(), factor, song.frames));
  const tool = "px-[5px] whitespace-nowrap text-[12px] text-mute hover:bg-rim2 hover:text-ink";
  return (
    <div className="absolute bottom-[2px] left-[6px] flex text-[13px]">
      <button type="button" className={tool} title="Nearer (wheel)" onClick={() => nearer(0.5)}>
        +
      </button>
      <button type="button" className={tool} title="Farther (wheel)" onClick={() => nearer(2)}>
        −
      </button>
      <button
        type="button"
        className={tool}
        title={zoomedIn ? "Show the whole song" : "Show the loop"}
        onClick={() => setView(zoomedIn ? null : loop)}
      >
        {zoomedIn ? "all" : "loop"}
      </button>
      <Popover.Root>
        <Popover.Trigger className={tool}>rows ▾</Popover.Trigger>
        <Popover.Portal>
          <Popover.Content className="menu p-2!" side="bottom" align="start" sideOffset={2}>
            {EXTRA_ROWS.map(({ value, label }) => (
              <label key={value} className="flex items-center gap-2 px-1 py-[3px]">
                <input
                  type="checkbox"
                  className="accent-rim"
                  checked={extra.includes(value)}
                  onChange={(event) =>
                    setExtra(event.target.checked ? [...extra, value] : extra.filter((one) => one !== value))
                  }
                />
                {label}
              </label>
            ))}
          </Popover.Content>
        </Popover.Portal>
      </Popover.Root>
    </div>
  );
}

function ProposeSections() {
  const song = useBench((s) => s.song)!;
  return (
    <button
      type="button"
      className="absolute top-0 left-2 font-[620] text-rim hover:underline"
      onPointerDown={(event) => event.stopPropagation()}
      onClick={() => {
        api
          .proposeSections(song.id)
          .then((sections) => {
            const { recipe } = useBench.getState();
            if (recipe && sections) edit({ ...recipe, sections }, "Sections from the music", true);
            else complain("The song is still being surveyed; ask again in a moment.");
          })
          .catch(complain);
      }}
    >
      propose sections from the music
    </button>
  );
}

function RenameSection({ id, view, onDone }: { id: string; view: Span; onDone: () => void }) {
  const recipe = useBench((s) => s.recipe)!;
  const rateHz = useBench((s) => s.song!.rate_hz);
  const section = recipe.sections.find((s) => s.id === id);
  const [name, setName] = useState(section?.name ?? "");
  if (!section) return null;
  const keep = () => {
    const sections = recipe.sections.map((s) => (s.id === id ? { ...s, name: name.trim() || s.name } : s));
    if (name.trim() !== section.name) edit({ ...recipe, sections }, `Section ${name.trim()}`, true);
    onDone();
  };
  return (
    <input
      autoFocus
      aria-label="Name of the section"
      className="absolute top-0 h-[19px] w-[130px] border border-rim bg-well px-1"
      style={{ left: `${Math.max(0, xOf(section.start_s * rateHz, 100, view))}%` }}
      value={name}
      maxLength={60}
      onPointerDown={(event) => event.stopPropagation()}
      onChange={(event) => setName(event.target.value)}
      onBlur={keep}
      onKeyDown={(event) => {
        event.stopPropagation();
        if (event.key === "Enter") keep();
        if (event.key === "Escape") onDone();
      }}
    />
  );
}
