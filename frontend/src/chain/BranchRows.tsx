import { memo } from "react";
import type { Stage } from "../api/types";
import { stageOf } from "../bench/editing";
import { select } from "../bench/listening";
import { kindInfo, useBench } from "../bench/store";
import { branchesOf } from "../tree/tree";
import { formatDb } from "../ui/format";
import { BranchSolo } from "./BranchSolo";
import { Effort } from "./Effort";
import { StageSwitch } from "./StageSwitch";

interface Props {
  split: string;
  branch: string;
  depth: number;
}

const INDENT = 14;

/** A branch of a split with what is in it: each stage can be chosen, switched and set like any other. */
export const BranchRows = memo(function BranchRows({ split, branch: id, depth }: Props) {
  const stage = useBench((s) => stageOf(s.recipe!, split));
  const branch = stage && branchesOf(stage).find((one) => one.id === id);
  if (!branch) return null;
  const indent = depth * INDENT;
  return (
    <>
      <li
        data-branch={id}
        className="relative flex h-[30px] items-center gap-2 border-b border-faint bg-page pr-[10px] before:absolute before:top-0 before:-bottom-px before:left-[19px] before:w-[3px] before:bg-rim before:opacity-[.28]"
        style={{ paddingLeft: 38 + indent }}
      >
        <Rail depth={depth} />
        <span
          aria-hidden
          className={`absolute top-[10px] h-[9px] w-[9px] rounded-full border-2 border-rim ${branch.muted ? "bg-page" : "bg-rim"}`}
          style={{ left: 16 + indent }}
        />
        <span className="min-w-0 flex-1 truncate font-[620]">{branch.name || branch.id}</span>
        <BranchSolo id={id} name={branch.name || branch.id} />
        <span className="figure w-[38px] text-right text-[12px]!">
          {branch.muted ? "muted" : formatDb(branch.gain_db, true, "")}
        </span>
      </li>
      {branch.chain.map((inner) => (
        <InnerRow key={inner.id} stage={inner} depth={depth} />
      ))}
    </>
  );
});

/** The line that the sound of a branch runs along. */
function Rail({ depth }: { depth: number }) {
  return (
    <span
      aria-hidden
      className="absolute top-0 -bottom-px w-[3px] bg-rim opacity-[.28]"
      style={{ left: 19 + depth * INDENT }}
    />
  );
}

function InnerRow({ stage, depth }: { stage: Stage; depth: number }) {
  const selected = useBench((s) => s.selected === stage.id);
  const summary = useBench((s) => s.described[stage.id]?.summary ?? "");
  const info = kindInfo(stage.kind);
  const title = info?.title ?? stage.kind;
  return (
    <>
      <li
        data-stage={stage.id}
        className={`group relative h-[40px] border-b border-faint before:absolute before:top-0 before:-bottom-px before:left-[19px] before:w-[3px] before:bg-rim before:opacity-[.28] ${selected ? "bg-rim2" : "bg-page"}`}
      >
        <Rail depth={depth} />
        <StageSwitch
          stage={stage}
          title={title}
          place="top-[13px] h-[13px] w-[13px]"
          left={14 + depth * INDENT}
        />
        <button
          type="button"
          aria-current={selected}
          title={summary}
          onClick={() => select(stage.id)}
          style={{ paddingLeft: 38 + depth * INDENT }}
          className="absolute inset-0 py-[4px] pr-[10px] text-left"
        >
          <span className={`block text-[12.5px] font-[620] ${stage.on ? "" : "text-mute"}`}>{title}</span>
          <span className="block truncate text-[11px] text-mute [font-stretch:84%]">{summary}</span>
        </button>
        {stage.on && info?.dynamic && <Effort stage={stage.id} />}
      </li>
      {branchesOf(stage).map((branch) => (
        <BranchRows key={branch.id} split={stage.id} branch={branch.id} depth={depth + 1} />
      ))}
    </>
  );
}
