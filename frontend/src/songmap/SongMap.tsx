import { useRef, useState } from "react";
import type { PointerEvent, WheelEvent } from "react";
import { walk } from "../tree/tree";
import { heardSong, seek, select, setLoop, setView } from "../state/listening";
import { useShape } from "../state/recipeShape";
import type { Span } from "../state/store";
import { kindInfo, useBench } from "../state/store";
import { edit } from "../state/edits";
import { formatDb, formatTime } from "../ui/format";
import { AutomationLanes } from "../automation/AutomationLanes";
import { Playhead } from "../ui/Playhead";
import type { Row } from "./drawing";
import { Overlay, StillMap } from "./layers";
import { MapHandles } from "./MapHandles";
import { MapNotes } from "./MapNotes";
import { MapTools } from "./MapTools";
import { ProposeSections, RenameSection } from "./Sections";
import {
  BAND_HEIGHT,
  boundaryAt,
  dragged,
  flagAt,
  frameAt,
  layoutOf,
  loopEdgeAt,
  ROW_STEP,
  withBoundary,
  withEdge,
  xOf,
  zoneAt,
  zoomed,
} from "./geometry";
import type { ExtraRow } from "./useMap";
import { useMap, useView } from "./useMap";

type Held = { x: number } & ({ kind: "loop"; edge: 0 | 1 | null } | { kind: "boundary"; index: number });

export function SongMap() {
  const song = useBench((s) => s.song)!;
  const recipe = useShape();
  const loop = useBench((s) => s.loop);
  const [extra, setExtra] = useState<ExtraRow[]>([]);
  const view = useView();
  const { survey, received, mastered, rows, scope } = useMap(extra);
  const layout = layoutOf(rows.length);
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
    if (!held) setHover({ x, text: reading(y, frame, rateHz, rows) });
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
      if (sections) edit({ ...useBench.getState().recipe!, sections }, "Move a section's edge", true);
      setSections(null);
    } else if (draft) setLoop(draft);
    else if (held.edge === null) {
      const flag = flagAt(x, y, flags, width, view, rateHz);
      const zone = zoneAt(y, rows.length);
      const dynamic = walk(recipe).filter((s) => s.on && kindInfo(s.kind)?.dynamic);
      const stage = zone.kind === "row" ? dynamic[zone.row ?? 0] : undefined;
      if (stage) select(stage.id);
      seek(flag === null ? frameAt(x, width, view) : (flags[flag]! - 1) * rateHz);
    }
  };

  const cancel = () => {
    drag.current = null;
    setDraft(null);
    setSections(null);
  };

  const wheel = (event: WheelEvent<HTMLElement>) => {
    const { x, width } = place(event);
    if (event.shiftKey || Math.abs(event.deltaX) > Math.abs(event.deltaY)) {
      const by = ((event.deltaX || event.deltaY) / width) * (view[1] - view[0]);
      setView([view[0] + by, view[1] + by]);
    } else setView(zoomed(view, frameAt(x, width, view), 1.0025 ** event.deltaY, frames));
  };

  return (
    <section aria-label="Song map" className="max-h-[46vh] overflow-y-auto border-b border-line bg-enamel">
      <div
        className="grid grid-cols-[118px_1fr_232px] max-[1100px]:grid-cols-[104px_1fr_206px]"
        style={{ height: layout.height }}
      >
        <div className="relative border-r border-faint">
          <span className="cap absolute top-[4px] right-2">sections</span>
          {[
            { says: "as received", middle: layout.waterline - layout.wave / 2 },
            { says: "as mastered", middle: layout.waterline + layout.wave / 2 },
          ].map(({ says, middle }) => (
            <span key={says} className="cap absolute right-2 -translate-y-1/2" style={{ top: middle }}>
              {says}
            </span>
          ))}
          {rows.map((row, index) => (
            <b
              key={index}
              className="absolute right-2 max-w-[108px] truncate text-[11.5px] font-[620] max-[1100px]:max-w-[94px]"
              title={row.title}
              style={{ top: layout.rowsTop - 2 + index * ROW_STEP, fontStretch: narrowed(row.title) }}
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
          onPointerCancel={cancel}
          onPointerLeave={() => setHover(null)}
          onWheel={wheel}
          onDoubleClick={(event) => {
            const box = event.currentTarget.getBoundingClientRect();
            if (event.clientY - box.top >= BAND_HEIGHT) return;
            const at = frameAt(event.clientX - box.left, box.width, view) / rateHz;
            setRenaming(recipe.sections.find((s) => s.start_s <= at && at < s.end_s)?.id ?? null);
          }}
        >
          <StillMap picture={picture} scope={scope} />
          <Overlay view={view} loop={draft ?? loop} hover={hover?.x ?? null} />
          <Playhead
            style={{ top: BAND_HEIGHT - 3, bottom: 0 }}
            handle
            at={(width) => {
              const x = xOf(heardSong(), width, view);
              return x < 0 || x > width ? null : x;
            }}
          />
          <MapHandles view={view} onRename={setRenaming} />
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
      </div>
      <AutomationLanes view={view} />
    </section>
  );
}

const PLAIN_LETTERS = 16;

/** Long names are set narrower, so that they can be read to the end. */
function narrowed(title: string): string {
  return `${Math.max(62, Math.min(94, (94 * PLAIN_LETTERS) / title.length)).toFixed(0)}%`;
}

/** What lies under the pointer, in words. */
function reading(y: number, frame: number, rateHz: number, rows: Row[]): string {
  const zone = zoneAt(y, rows.length);
  const row = zone.kind === "row" ? rows[zone.row ?? 0] : undefined;
  const share = row ? (frame - row.span[0]) / (row.span[1] - row.span[0]) : 0;
  const value = row?.values?.[Math.min(row.values.length - 1, Math.floor(share * row.values.length))];
  const time = formatTime(frame / rateHz, 2);
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
