import { useDroppable } from "@dnd-kit/core";
import { DropdownMenu } from "radix-ui";
import { memo } from "react";
import { select } from "../state/listening";
import { useBench } from "../state/store";
import { splitOf } from "../tree/tree";
import { formatDb } from "../ui/format";
import { InlineName } from "../ui/InlineName";
import { dropBranch, duplicateBranch, muteBranch, nameBranch } from "./stageActions";
import { BranchSolo } from "./BranchSolo";
import type { Rails } from "./signalFlow";
import { columnPx } from "./signalFlow";
import { FlowLines } from "./FlowLines";
import { DropMark, GAP_PX, INDENT_PX } from "./StageRow";

const HEIGHT_PX = 30;

interface Props {
  id: string;
  depth: number;
  rails: Rails;
  last: number;
  mark: "before" | "after" | null;
}

/** Where a branch of a split begins: its name, its level, alone or left out for the ear. */
export const BranchRow = memo(function BranchRow({ id, depth, rails, last, mark }: Props) {
  const split = useBench((s) => splitOf(s.recipe!, id));
  const { setNodeRef } = useDroppable({ id: `row ${id}`, data: { row: { kind: "branch", id } } });
  const parts = useBench((s) => s.stages?.split.parts);
  const branch = split?.params.branches.find((one) => one.id === id);
  if (!split || !branch) return null;
  const count = split.params.branches.length;
  const { least, most } = parts?.[split.params.by] ?? { least: count, most: count };
  const name = branch.name || branch.id;
  const node = columnPx(rails.node ?? 0, last);
  const left = columnPx(last, last) + GAP_PX + (depth - 1) * INDENT_PX;
  return (
    <li
      ref={setNodeRef}
      data-branch={id}
      style={{ height: HEIGHT_PX, paddingLeft: left - 5 }}
      className="group relative flex items-center gap-[5px] border-b border-faint bg-page pr-[10px]"
    >
      <FlowLines rails={rails} last={last} height={HEIGHT_PX} />
      <span
        aria-hidden
        className={`absolute h-[9px] w-[9px] rounded-full border-2 border-rim ${branch.muted ? "bg-page" : "bg-rim"}`}
        style={{ left: node - 4.5, top: rails.fork && rails.node !== rails.fork.from ? 19 : 10 }}
      />
      <InlineName
        label={`Name of the branch ${name}`}
        name={name}
        className="w-0 flex-1"
        onName={(typed) => nameBranch(id, typed)}
      />
      <DropdownMenu.Root>
        <DropdownMenu.Trigger
          aria-label={`More of the branch ${name}`}
          title="More"
          className="w-0 overflow-hidden text-[14px] leading-none text-mute group-focus-within:w-auto group-hover:w-auto hover:text-ink data-[state=open]:w-auto"
        >
          ⋯
        </DropdownMenu.Trigger>
        <DropdownMenu.Portal>
          <DropdownMenu.Content className="menu" align="start" sideOffset={2}>
            <DropdownMenu.Item onSelect={() => select(split.id)}>Level, pan and width …</DropdownMenu.Item>
            <DropdownMenu.Item onSelect={() => muteBranch(id, !branch.muted)}>
              {branch.muted ? "Unmute in the print" : "Mute in the print"}
            </DropdownMenu.Item>
            {count < most && (
              <DropdownMenu.Item onSelect={() => duplicateBranch(id)}>
                The same again beside it
              </DropdownMenu.Item>
            )}
            {count > least && (
              <DropdownMenu.Item onSelect={() => dropBranch(id)}>Remove with its stages</DropdownMenu.Item>
            )}
          </DropdownMenu.Content>
        </DropdownMenu.Portal>
      </DropdownMenu.Root>
      <BranchSolo id={id} name={name} />
      <span className="figure w-[38px] text-right text-[12px]!">
        {branch.muted ? "muted" : formatDb(branch.gain_db, true, "")}
      </span>
      <DropMark mark={mark} />
    </li>
  );
});
