import { useQuery } from "@tanstack/react-query";
import { useCallback, useMemo, useRef, useState } from "react";
import type { PointerEvent } from "react";
import { api } from "../api/client";
import { seek, select, setLoop, useBench, kindInfo } from "../bench/store";
import { MAP_COLUMNS, useSurvey } from "../bench/useSurvey";
import { formatDb, formatTime } from "../ui/format";
import { heardNow } from "../ui/useHeard";
import { useCanvas, useMovingCanvas } from "../ui/useCanvas";
import { drawMap, drawOverlay } from "./drawing";
import { dragged, frameAt, loopEdgeAt, STRIP_STEP, STRIPS_TOP, withEdge, zoneAt } from "./geometry";

interface Drag {
  x: number;
  edge: 0 | 1 | null;
}

export function SongMap() {
  const song = useBench((s) => s.song)!;
  const recipe = useBench((s) => s.recipe)!;
  const loop = useBench((s) => s.loop);
  const survey = useSurvey();
  const { data: received } = useQuery({
    queryKey: ["waveform", song.id],
    queryFn: () => api.waveform(song.id, MAP_COLUMNS),
    staleTime: Infinity,
  });
  const [draft, setDraft] = useState<[number, number] | null>(null);
  const drag = useRef<Drag | null>(null);
  const dynamic = useMemo(
    () => recipe.master.filter((stage) => stage.on && kindInfo(stage.kind)?.dynamic),
    [recipe.master],
  );
  const { frames, rate_hz: rateHz } = song;

  const still = useCallback(
    (context: CanvasRenderingContext2D, width: number) =>
      drawMap(context, width, {
        frames,
        rateHz,
        sections: recipe.sections,
        received,
        mastered: survey?.mastered,
        progress: survey?.progress ?? null,
        strips: dynamic.map((stage) => ({ effort: survey?.effort?.[stage.id] })),
      }),
    [frames, rateHz, recipe.sections, received, survey, dynamic],
  );
  const stillRef = useCanvas(still);
  const movingRef = useMovingCanvas((context, width, height) =>
    drawOverlay(context, width, height, frames, heardNow()?.song ?? song.view.song ?? 0, draft ?? loop),
  );

  const place = (event: PointerEvent<HTMLElement>) => {
    const box = event.currentTarget.getBoundingClientRect();
    return { x: event.clientX - box.left, y: event.clientY - box.top, width: box.width };
  };

  const down = (event: PointerEvent<HTMLElement>) => {
    if (event.button !== 0) return;
    const { x, y, width } = place(event);
    event.currentTarget.setPointerCapture(event.pointerId);
    if (zoneAt(y, dynamic.length).kind === "section") {
      const at = frameAt(x, width, frames) / rateHz;
      const section = recipe.sections.find((s) => s.start_s <= at && at < s.end_s);
      if (section)
        setLoop([Math.round(section.start_s * rateHz), Math.min(frames, Math.round(section.end_s * rateHz))]);
      return;
    }
    drag.current = { x, edge: loopEdgeAt(x, loop, width, frames) };
  };

  const move = (event: PointerEvent<HTMLElement>) => {
    const { x, y, width } = place(event);
    const held = drag.current;
    const edge = loopEdgeAt(x, loop, width, frames);
    event.currentTarget.style.cursor =
      zoneAt(y, dynamic.length).kind === "section" ? "pointer" : edge === null ? "text" : "ew-resize";
    if (!held) return;
    if (held.edge !== null && loop)
      setDraft(withEdge(loop, held.edge, frameAt(x, width, frames), frames, rateHz));
    else setDraft(dragged(held.x, x, width, frames));
  };

  const up = (event: PointerEvent<HTMLElement>) => {
    const held = drag.current;
    drag.current = null;
    setDraft(null);
    if (!held) return;
    const { x, y, width } = place(event);
    if (draft) setLoop(draft);
    else if (held.edge === null) {
      const zone = zoneAt(y, dynamic.length);
      const stage = zone.kind === "strip" ? dynamic[zone.strip ?? 0] : undefined;
      if (stage) select(stage.id);
      seek(frameAt(x, width, frames));
    }
  };

  return (
    <section
      aria-label="Song map"
      className="grid min-h-0 grid-cols-[118px_1fr_232px] border-b border-line bg-enamel"
    >
      <div className="relative border-r border-faint" aria-hidden>
        <span className="cap absolute top-[4px] right-2">sections</span>
        <span className="cap absolute top-[36px] right-2">as received</span>
        <span className="cap absolute top-[80px] right-2">as mastered</span>
        {dynamic.map((stage, row) => (
          <b
            key={stage.id}
            className="absolute right-2 max-w-[104px] truncate font-[620]"
            style={{ top: STRIPS_TOP - 2 + row * STRIP_STEP }}
          >
            {kindInfo(stage.kind)?.title}
          </b>
        ))}
      </div>
      <div
        className="relative min-w-0 touch-none"
        data-testid="songmap"
        onPointerDown={down}
        onPointerMove={move}
        onPointerUp={up}
      >
        <canvas ref={stillRef} className="absolute inset-0 h-full w-full" />
        <canvas ref={movingRef} className="absolute inset-0 h-full w-full" />
      </div>
      <MapNotes />
    </section>
  );
}

/** What the survey found out, in words; a click goes there. */
function MapNotes() {
  const song = useBench((s) => s.song)!;
  const recipe = useBench((s) => s.recipe)!;
  const saved = useBench((s) => s.saved);
  const survey = useSurvey();
  const busy = survey?.state !== "done" || saved !== "saved";
  const hardest = recipe.master.flatMap((stage) => {
    const found = survey?.hardest?.[stage.id];
    return found && found.db < -0.05 ? [{ stage, ...found }] : [];
  });
  const source = Object.values(song.sources)[0];
  return (
    <div className="overflow-hidden border-l border-faint px-3 py-[6px]">
      <div className="cap mb-1" role="status">
        {survey?.state === "failed"
          ? survey.problem
          : busy
            ? `surveying the song · ${Math.round((survey?.progress ?? 0) * 100)} %`
            : "surveyed, whole song"}
      </div>
      <div className={busy ? "opacity-50" : ""}>
        {hardest.length > 0 && <div className="cap">hardest work</div>}
        {hardest.map(({ stage, db, at_s }) => (
          <button
            key={stage.id}
            type="button"
            className="block w-full text-left leading-[1.5] hover:bg-rim2"
            title="Go there"
            onClick={() => {
              select(stage.id);
              seek((at_s - 1) * song.rate_hz);
            }}
          >
            {kindInfo(stage.kind)?.title} <b className="font-[650] text-copper">{formatDb(db)}</b> at{" "}
            {formatTime(at_s)}
          </button>
        ))}
      </div>
      {source && (
        <div className="mt-2">
          <div className="cap">received</div>
          <div className="truncate" title={source.name}>
            {source.name}
          </div>
          <div className="cap">
            {source.rate_hz / 1000} kHz · {source.format.replace("PCM_", "").toLowerCase()} ·{" "}
            {formatTime(source.frames / source.rate_hz, 1)}
            {source.channels === 1 && " · mono, as two equal sides"}
          </div>
        </div>
      )}
    </div>
  );
}
