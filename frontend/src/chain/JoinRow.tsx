import { useDroppable } from "@dnd-kit/core";
import { memo } from "react";
import { useBench } from "../state/store";
import { stageOf } from "../tree/tree";
import { moreBranches } from "./stageActions";
import type { Rails } from "./signalFlow";
import { columnPx } from "./signalFlow";
import { FlowLines } from "./FlowLines";
import { DropMark, GAP_PX, INDENT_PX } from "./StageRow";

const HEIGHT_PX = 24;

interface Props {
  split: string;
  depth: number;
  rails: Rails;
  last: number;
  mark: "before" | "after" | null;
}

/** Where the branches of a split come together again. */
export const JoinRow = memo(function JoinRow({ split: id, depth, rails, last, mark }: Props) {
  const split = useBench((s) => stageOf(s.recipe!, id));
  const parts = useBench((s) => s.stages?.split.parts);
  const { setNodeRef } = useDroppable({ id: `join ${id}`, data: { row: { kind: "join", id } } });
  const room = split?.kind === "split" && parts && split.params.branches.length < parts[split.params.by].most;
  return (
    <li
      ref={setNodeRef}
      style={{ height: HEIGHT_PX, paddingLeft: columnPx(last, last) + GAP_PX + (depth - 1) * INDENT_PX }}
      className="relative flex items-center border-b border-faint bg-page"
    >
      <FlowLines rails={rails} last={last} height={HEIGHT_PX} />
      {room && (
        <button
          type="button"
          className="text-[11px] font-semibold text-rim hover:underline"
          onClick={() => moreBranches(id)}
        >
          + branch
        </button>
      )}
      <DropMark mark={mark} />
    </li>
  );
});
