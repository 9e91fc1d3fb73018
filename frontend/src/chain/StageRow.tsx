import { useDraggable, useDroppable } from "@dnd-kit/core";
import { memo } from "react";
import type { Stage } from "../api/types";
import { select } from "../state/listening";
import { kindInfo, useBench } from "../state/store";
import { useSurvey } from "../state/useSurvey";
import { stageOf } from "../tree/tree";
import { chooseTo } from "./stageActions";
import { Effort } from "./Effort";
import type { Rails } from "./signalFlow";
import { columnPx } from "./signalFlow";
import { FlowLines } from "./FlowLines";
import { StageMenu } from "./StageMenu";
import { StageSwitch } from "./StageSwitch";

export const INDENT_PX = 12;
export const GAP_PX = 18;
const HEIGHT_PX = 42;

interface Props {
  id: string;
  depth: number;
  rails: Rails;
  last: number;
  /** where a dragged stage would go */
  mark: "before" | "after" | null;
}

/** What a stage treats, where that is not everything. */
function treats(stage: Stage | undefined): string {
  if (!stage) return "";
  if (stage.kind !== "equalizer") return stage.channels === "stereo" ? "" : stage.channels;
  const used = [...new Set(stage.params.bands.map(({ channels }) => channels))];
  return used.every((channels) => channels === "stereo") ? "" : used.join(" + ");
}

/** Where a dragged stage would go. */
export function DropMark({ mark }: { mark: "before" | "after" | null }) {
  if (!mark) return null;
  const at = mark === "before" ? "-top-px" : "-bottom-px";
  return (
    <span aria-hidden className={`pointer-events-none absolute inset-x-0 z-20 h-[3px] bg-copper ${at}`} />
  );
}

/** A stage of the chain: its dot on the rail, its name, what it is set to and what it does at the moment. */
export const StageRow = memo(function StageRow({ id, depth, rails, last, mark }: Props) {
  // values move under a hand; what the row shows of them comes as words
  const kind = useBench((s) => stageOf(s.recipe!, id)?.kind);
  const on = useBench((s) => stageOf(s.recipe!, id)?.on ?? false);
  const treated = useBench((s) => treats(stageOf(s.recipe!, id)));
  const selected = useBench((s) => s.selected === id);
  const beside = useBench((s) => s.also.includes(id));
  const info = kindInfo(kind ?? "");
  const title = info?.title ?? "";
  const { setNodeRef: dragged, listeners, isDragging } = useDraggable({ id });
  const { setNodeRef: dropped } = useDroppable({ id: `row ${id}`, data: { row: { kind: "stage", id } } });
  if (kind === undefined) return null;
  return (
    <li
      ref={dropped}
      data-stage={id}
      style={{ height: HEIGHT_PX }}
      className={`group relative border-b border-faint ${selected ? "bg-rim2" : beside ? "bg-rim2/60" : depth ? "bg-page" : "bg-enamel"} ${isDragging ? "opacity-40" : ""}`}
    >
      <FlowLines rails={rails} last={last} height={HEIGHT_PX} />
      <StageSwitch
        id={id}
        on={on}
        title={title}
        left={columnPx(rails.node ?? 0, last)}
        top={HEIGHT_PX / 2 - 1}
      />
      <button
        ref={dragged}
        type="button"
        {...listeners}
        aria-roledescription="stage, Alt and an arrow key move it"
        aria-current={selected}
        onClick={(event) => (event.shiftKey ? chooseTo(id) : select(id))}
        style={{ paddingLeft: columnPx(last, last) + GAP_PX + depth * INDENT_PX }}
        className="absolute inset-0 py-[4px] pr-[10px] text-left -outline-offset-2"
      >
        <span className={`block truncate pr-8 text-[12.5px] font-[620] ${on ? "" : "text-mute"}`}>
          {title}
        </span>
        <Summary id={id} treated={treated} />
      </button>
      {on && info?.dynamic && <Effort stage={id} />}
      <StageMenu id={id} isSplit={kind === "split"} title={title} />
      <DropMark mark={mark} />
    </li>
  );
});

/** What the stage is set to, and in its title what it does. */
function Summary({ id, treated }: { id: string; treated: string }) {
  const summary = useBench((s) => s.described[id]?.summary ?? "");
  const work = useSurvey()?.work?.[id];
  return (
    <span
      className="flex items-baseline gap-2 text-[11px] text-mute [font-stretch:84%]"
      title={work ? `${summary}\n${work}` : summary}
    >
      <span className="min-w-0 flex-1 truncate">{summary}</span>
      {treated && <span className="shrink-0 text-[10px] [font-stretch:80%]">{treated}</span>}
    </span>
  );
}
