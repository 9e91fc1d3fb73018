import { closestCenter, DndContext, PointerSensor, useSensor, useSensors } from "@dnd-kit/core";
import type { DragEndEvent } from "@dnd-kit/core";
import { SortableContext, useSortable, verticalListSortingStrategy } from "@dnd-kit/sortable";
import { CSS } from "@dnd-kit/utilities";
import { DropdownMenu } from "radix-ui";
import { Fragment, memo } from "react";
import type { KindInfo, Stage } from "../api/types";
import { addStage, busOf, chainOf, MASTER, moveStage, stageOf } from "../bench/editing";
import { compare, openLane, select, WITHOUT_CHAIN } from "../bench/listening";
import { edit } from "../bench/edits";
import { removeFromChain } from "../bench/keys";
import { useShape } from "../bench/shape";
import { useSurvey } from "../bench/useSurvey";
import { kindInfo, useBench } from "../bench/store";
import { Hint } from "../ui/Hint";
import { branchesOf } from "../tree/tree";
import { BranchRows } from "./BranchRows";
import { Effort } from "./Effort";
import { StageSwitch } from "./StageSwitch";
import { BusStrip } from "./BusStrip";

/** The chain from top to bottom: what the sound passes, in order. */
export function Chain() {
  const recipe = useShape();
  const lane = useBench((s) => s.lane);
  const chain = chainOf(recipe, lane);
  const bus = useBench((s) => busOf(s.recipe!, lane));
  const sensors = useSensors(useSensor(PointerSensor, { activationConstraint: { distance: 6 } }));
  const drop = ({ active, over }: DragEndEvent) => {
    if (!over || active.id === over.id) return;
    const to = chain.findIndex((stage) => stage.id === over.id);
    const title = kindInfo(chain.find((s) => s.id === active.id)?.kind ?? "")?.title ?? "stage";
    edit(moveStage(useBench.getState().recipe!, String(active.id), to), `Move ${title}`, true);
  };
  return (
    <section aria-label="Chain" className="flex min-h-0 flex-col border-r border-line bg-enamel">
      <Lanes />
      {bus && <BusStrip bus={bus} />}
      <div className="min-h-0 flex-1 overflow-y-auto">
        <DndContext
          sensors={sensors}
          collisionDetection={closestCenter}
          onDragEnd={drop}
          accessibility={{ screenReaderInstructions: { draggable: "Alt and an arrow key move the stage." } }}
        >
          <SortableContext items={chain.map(({ id }) => id)} strategy={verticalListSortingStrategy}>
            <ol>
              {chain.map((stage) => (
                <Fragment key={stage.id}>
                  <Row id={stage.id} />
                  {branchesOf(stage).map((branch) => (
                    <BranchRows key={branch.id} split={stage.id} branch={branch.id} depth={1} />
                  ))}
                </Fragment>
              ))}
            </ol>
          </SortableContext>
        </DndContext>
        {chain.length === 0 && (
          <p className="px-3 py-3 text-mute">
            {bus
              ? "No stage on this bus yet: it reaches the sum as it came."
              : "No stage yet: the print is a copy, bit for bit. Add a filter, a compressor or a limiter."}
          </p>
        )}
        <AddStage />
      </div>
      {chain.some(({ on }) => on) && <WithoutChain />}
    </section>
  );
}

/** Buses and groups as tabs, the master last; a song of one bus has the master alone. */
function Lanes() {
  const recipe = useShape();
  const lane = useBench((s) => s.lane);
  const listening = useBench((s) => s.listening);
  const buses = [...recipe.buses, ...recipe.groups];
  const many = buses.length > 1;
  const lanes = [
    ...(many ? buses.map(({ id, name }) => ({ id, name: name || id })) : []),
    { id: MASTER, name: "Master" },
  ];
  return (
    <div role="tablist" aria-label="Buses" className="flex flex-wrap border-b border-faint px-[6px] pt-1">
      {lanes.map(({ id, name }) => (
        <button
          key={id}
          type="button"
          role="tab"
          aria-selected={lane === id}
          onClick={() => openLane(id)}
          className={`px-2 pt-1 pb-[6px] ${lane === id || (!many && id === MASTER) ? "border-b-[3px] border-rim font-[650]" : "text-mute hover:text-ink"}`}
        >
          {name}
          {listening.solo.includes(id) && <span className="pl-1 text-mustard">S</span>}
          {listening.muted.includes(id) && <span className="pl-1 text-copper">M</span>}
        </button>
      ))}
      {!many && recipe.buses.length === 1 && (
        <button
          type="button"
          role="tab"
          aria-selected={lane === recipe.buses[0]!.id}
          title="Stages before the master: on the bus itself"
          onClick={() => openLane(recipe.buses[0]!.id)}
          className={`px-2 pt-1 pb-[6px] ${lane === recipe.buses[0]!.id ? "border-b-[3px] border-rim font-[650]" : "text-mute hover:text-ink"}`}
        >
          {recipe.buses[0]!.name || "Mix"}
        </button>
      )}
    </div>
  );
}

/** What a stage treats, where that is not everything. */
function treats(stage: Stage): string {
  if (stage.kind !== "equalizer") return stage.channels === "stereo" ? "" : stage.channels;
  const used = [...new Set(stage.params.bands.map(({ channels }) => channels))];
  return used.every((channels) => channels === "stereo") ? "" : used.join(" + ");
}

const Row = memo(function Row({ id }: { id: string }) {
  const stage = useBench((s) => stageOf(s.recipe!, id));
  return stage ? <StageRow stage={stage} /> : null;
});

function StageRow({ stage }: { stage: Stage }) {
  const selected = useBench((s) => s.selected === stage.id);
  const summary = useBench((s) => s.described[stage.id]?.summary ?? "");
  const work = useSurvey()?.work?.[stage.id];
  const info = kindInfo(stage.kind);
  const title = info?.title ?? stage.kind;
  const { attributes, listeners, setNodeRef, transform, transition, isDragging } = useSortable({
    id: stage.id,
  });
  return (
    <li
      ref={setNodeRef}
      data-stage={stage.id}
      style={{ transform: CSS.Translate.toString(transform), transition }}
      className={`group relative h-[45px] border-b border-faint before:absolute before:top-0 before:-bottom-px before:left-[19px] before:w-[3px] before:bg-rim before:opacity-[.28] ${selected ? "bg-rim2" : "bg-enamel"} ${isDragging ? "z-20 shadow-[3px_3px_0_rgb(32_66_107/0.18)]" : ""}`}
    >
      <StageSwitch stage={stage} title={title} place="top-[14px] h-[15px] w-[15px]" left={13} />
      <button
        type="button"
        {...attributes}
        {...listeners}
        aria-roledescription="stage, sortable"
        aria-current={selected}
        title={work ? `${summary}\n${work}` : summary}
        onClick={() => select(stage.id)}
        className="absolute inset-0 py-[6px] pr-[10px] pl-[38px] text-left"
      >
        <span className={`block text-[12.5px] font-[620] ${stage.on ? "" : "text-mute"}`}>{title}</span>
        <span className="flex items-baseline gap-2 text-[11px] text-mute [font-stretch:84%]">
          <span className="min-w-0 flex-1 truncate">{summary}</span>
          {treats(stage) && <span className="shrink-0 text-[10px] [font-stretch:80%]">{treats(stage)}</span>}
        </span>
      </button>
      {stage.on && info?.dynamic && <Effort stage={stage.id} />}
      <button
        type="button"
        aria-label={`Remove ${title}`}
        title="Remove"
        onClick={() => removeFromChain(stage.id)}
        className="absolute top-[5px] right-[6px] z-10 px-[5px] text-[14px] leading-none text-mute opacity-0 group-focus-within:opacity-100 group-hover:opacity-100 hover:text-copper"
      >
        ×
      </button>
    </li>
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
        className={`border-t border-faint px-3 py-[7px] text-left ${heard ? "bg-ink text-page" : "text-mute hover:text-ink"}`}
      >
        Without any stage
      </button>
    </Hint>
  );
}

/** What holds chains comes with a recipe; the others begin at their defaults. */
const canBegin = ({ params }: KindInfo) => !params.some(({ name }) => name === "branches");

function AddStage() {
  const lane = useBench((s) => s.lane);
  const kinds = useBench((s) => s.stages?.kinds ?? []);
  return (
    <DropdownMenu.Root>
      <DropdownMenu.Trigger className="w-full px-3 py-[9px] text-left font-semibold text-rim hover:bg-rim2">
        + Add a stage
      </DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content className="menu" align="start" sideOffset={2}>
          {kinds.filter(canBegin).map((info) => (
            <DropdownMenu.Item
              key={info.kind}
              onSelect={() => {
                const added = addStage(useBench.getState().recipe!, lane, info);
                edit(added.recipe, `Add ${info.title}`, true);
                select(added.id);
              }}
            >
              <b className="font-[640]">{info.title}</b>
              <span className="block max-w-[280px] text-[11px] text-mute">{info.says}</span>
            </DropdownMenu.Item>
          ))}
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  );
}
