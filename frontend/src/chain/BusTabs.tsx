import { useDroppable } from "@dnd-kit/core";
import { openLane } from "../state/listening";
import { useShape } from "../state/recipeShape";
import { useBench } from "../state/store";
import { MASTER } from "../tree/tree";
import { goToTab } from "../ui/tabs";

/** Buses and groups as tabs, the master last; of a song of one bus the master comes first. */
export function BusTabs() {
  const recipe = useShape();
  const buses = [...recipe.buses, ...recipe.groups].map(({ id, name }) => ({ id, name: name || id }));
  const master = { id: MASTER, name: "Master" };
  const lanes = buses.length > 1 ? [...buses, master] : [master, ...buses];
  return (
    <div
      role="tablist"
      aria-label="Buses"
      onKeyDown={goToTab}
      className="flex flex-wrap border-b border-faint px-[6px] pt-1"
    >
      {lanes.map(({ id, name }) => (
        <LaneTab key={id} id={id} name={name} />
      ))}
    </div>
  );
}

/** Opens a chain; a stage that is let go over it goes to the end of that chain. */
function LaneTab({ id, name }: { id: string; name: string }) {
  const open = useBench((s) => s.lane === id);
  const { solo, muted } = useBench((s) => s.listening);
  const { setNodeRef, isOver } = useDroppable({ id: `lane ${id}`, data: { lane: id } });
  return (
    <button
      ref={setNodeRef}
      type="button"
      role="tab"
      aria-selected={open}
      tabIndex={open ? 0 : -1}
      onClick={() => openLane(id)}
      className={`border-b-[3px] px-2 pt-1 pb-[3px] ${open ? "border-rim font-[650]" : "border-transparent text-mute hover:text-ink"} ${isOver ? "bg-copper2!" : ""}`}
    >
      {name}
      {solo.includes(id) && <span className="pl-1 text-mustard">S</span>}
      {muted.includes(id) && <span className="pl-1 text-copper">M</span>}
    </button>
  );
}
