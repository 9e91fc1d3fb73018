import { closestCenter, DndContext, DragOverlay, pointerWithin, useDroppable } from "@dnd-kit/core";
import type { CollisionDetection } from "@dnd-kit/core";
import { busOf, chainOf } from "../state/editing";
import { compare, select, WITHOUT_CHAIN } from "../state/listening";
import { useShape } from "../state/recipeShape";
import { kindInfo, useBench } from "../state/store";
import { stageOf } from "../tree/tree";
import { Hint } from "../ui/Hint";
import { AddStage } from "./AddStage";
import { Templates } from "./Templates";
import { BranchRow } from "./BranchRow";
import { BusStrip } from "./BusStrip";
import { Chains } from "./Chains";
import { JoinRow } from "./JoinRow";
import { LevelLadder, LadderSwitch, useLadderShown } from "./LevelLadder";
import { BusTabs } from "./BusTabs";
import type { Row } from "./signalFlow";
import { lastColumn, rowsOf } from "./signalFlow";
import { StageRow } from "./StageRow";
import { useChainDrag } from "./useChainDrag";
import type { Over } from "./useChainDrag";

const underPointer: CollisionDetection = (all) => {
  const under = pointerWithin(all);
  return under.length ? under : closestCenter(all);
};

function markOf(over: Over | null, { kind, id }: Row): "before" | "after" | null {
  if (!over || !("row" in over.target)) return null;
  const { row } = over.target;
  return row.kind === kind && row.id === id ? (over.lower ? "after" : "before") : null;
}

/** The chain from top to bottom: what the sound passes, in order. */
export function Chain() {
  const recipe = useShape();
  const lane = useBench((s) => s.lane);
  const chain = chainOf(recipe, lane);
  const bus = useBench((s) => busOf(s.recipe!, lane));
  const { dragged, over, context } = useChainDrag();
  const rows = rowsOf(chain);
  const last = lastColumn(rows);
  const [ladder, toggleLadder] = useLadderShown();
  return (
    <section aria-label="Chain" className="flex min-h-0 flex-col border-r border-line bg-enamel">
      <DndContext
        {...context}
        collisionDetection={underPointer}
        autoScroll={{ threshold: { x: 0, y: 0.15 } }}
      >
        <BusTabs />
        {bus && <BusStrip bus={bus} />}
        <div
          className="min-h-0 flex-1 overflow-y-auto"
          onClick={(event) => event.target === event.currentTarget && select(null)}
        >
          <Whole />
          <ol>
            {rows.map((row) => {
              const shared = { depth: row.depth, rails: row.rails, last, mark: markOf(over, row) };
              if (row.kind === "stage") return <StageRow key={row.id} id={row.id} {...shared} />;
              if (row.kind === "branch") return <BranchRow key={row.id} id={row.id} {...shared} />;
              return <JoinRow key={`join ${row.id}`} split={row.id} {...shared} />;
            })}
          </ol>
          {chain.length === 0 && (
            <p className="px-3 py-3 text-mute">
              {bus
                ? "No stage on this bus yet: it reaches the sum as it came."
                : "No stage yet: the print is a copy, bit for bit."}
            </p>
          )}
          {chain.length === 0 && <Templates />}
          <End lane={lane} />
        </div>
        <DragOverlay dropAnimation={null}>
          {dragged.length > 0 && (
            <span className="border border-line bg-well px-3 py-1 font-[620] shadow-[3px_3px_0_rgb(32_66_107/0.18)]">
              {dragged.length > 1
                ? `${dragged.length} stages`
                : kindInfo(stageOf(recipe, dragged[0]!)?.kind ?? "")?.title}
            </span>
          )}
        </DragOverlay>
      </DndContext>
      {ladder && <LevelLadder />}
      <div className="flex border-t border-faint">
        {chain.some(({ on }) => on) && <WithoutChain />}
        <LadderSwitch shown={ladder} toggle={toggleLadder} />
        <Chains />
      </div>
    </section>
  );
}

/** No stage chosen: the middle shows the song. */
function Whole() {
  const shown = useBench((s) => stageOf(s.recipe!, s.selected) === undefined);
  return (
    <button
      type="button"
      aria-pressed={shown}
      title="Spectrum, figures and findings of the song (key V)"
      onClick={() => select(null)}
      className={`relative h-[26px] w-full border-b border-faint pl-[38px] text-left ${shown ? "bg-rim2 font-[620]" : "text-mute hover:text-ink"}`}
    >
      <span aria-hidden className="absolute top-[11px] bottom-0 left-[18.5px] w-[3px] bg-rim opacity-30" />
      <span aria-hidden className="absolute top-[9px] left-[16px] h-[8px] w-[8px] bg-rim opacity-60" />
      Overview
    </button>
  );
}

/** What is let go here goes to the end of the chain. */
function End({ lane }: { lane: string }) {
  const { setNodeRef, isOver } = useDroppable({ id: "end", data: { end: lane } });
  return (
    <div ref={setNodeRef} className={isOver ? "border-t-[3px] border-copper" : ""}>
      <AddStage />
    </div>
  );
}

/** The song without any stage, at equal loudness. */
function WithoutChain() {
  const heard = useBench((s) => s.heard === WITHOUT_CHAIN);
  return (
    <Hint text="Hears the song with every stage off, at equal loudness (key N). The faders stay as they are.">
      <button
        type="button"
        aria-pressed={heard}
        onClick={() => compare(heard ? "now" : WITHOUT_CHAIN)}
        className={`px-3 py-[7px] text-left ${heard ? "bg-ink text-page" : "text-mute hover:text-ink"}`}
      >
        Bypass all
      </button>
    </Hint>
  );
}
