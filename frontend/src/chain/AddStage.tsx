import { Popover } from "radix-ui";
import { useState } from "react";
import type { KindInfo } from "../api/types";
import { kindInfo, useBench } from "../state/store";
import { stageOf } from "../tree/tree";
import { addKind } from "./stageActions";
import { found } from "./stageSearch";
import { useSearch } from "./useStageSearch";

/** Find a stage by typing what it is called or what it is for; it goes below the chosen one. */
export function AddStage() {
  const open = useSearch((s) => s.open);
  const below = useBench((s) => kindInfo(stageOf(s.recipe!, s.selected)?.kind ?? "")?.title);
  return (
    <Popover.Root open={open} onOpenChange={(next) => useSearch.setState({ open: next })}>
      <Popover.Trigger className="w-full px-3 py-[9px] text-left font-semibold text-rim hover:bg-rim2">
        + Add a stage
        {below && <span className="cap pl-2 font-normal">below {below.toLowerCase()}</span>}
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          aria-label="Add a stage"
          className="menu w-[330px] p-0!"
          align="start"
          sideOffset={2}
          collisionPadding={8}
        >
          <Search onFound={() => useSearch.setState({ open: false })} />
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}

function Search({ onFound }: { onFound: () => void }) {
  const kinds = useBench((s) => s.stages?.kinds ?? []);
  const [typed, setTyped] = useState("");
  const [at, setAt] = useState(0);
  const shown = found(kinds, typed);
  const here = Math.min(at, shown.length - 1);
  const take = (info: KindInfo | undefined) => {
    if (!info) return;
    onFound();
    addKind(info.kind);
  };
  return (
    <div>
      <input
        autoFocus
        role="combobox"
        aria-label="Find a stage"
        aria-expanded
        aria-controls="stages-found"
        aria-activedescendant={shown[here] ? `found-${shown[here].kind}` : undefined}
        placeholder="what it is called, or what for: glue, sub, parallel …"
        className="w-full border-b border-line bg-well px-3 py-2 text-[13px]"
        value={typed}
        onChange={(event) => {
          setTyped(event.target.value);
          setAt(0);
        }}
        onKeyDown={(event) => {
          if (event.key === "Escape") return;
          event.stopPropagation();
          if (event.key === "ArrowDown") setAt(Math.min(here + 1, shown.length - 1));
          else if (event.key === "ArrowUp") setAt(Math.max(here - 1, 0));
          else if (event.key === "Enter") take(shown[here]);
          else return;
          event.preventDefault();
        }}
      />
      <ul id="stages-found" role="listbox" aria-label="Stages" className="max-h-[340px] overflow-y-auto p-1">
        {shown.map((info, index) => (
          <li
            key={info.kind}
            id={`found-${info.kind}`}
            role="option"
            aria-selected={index === here}
            className={`cursor-pointer px-2 py-[6px] ${index === here ? "bg-rim2" : ""}`}
            onPointerMove={() => setAt(index)}
            onClick={() => take(info)}
          >
            <b className="font-[640]">{info.title}</b>
            <span className="block text-[11px] text-mute">{info.says}</span>
          </li>
        ))}
      </ul>
      {shown.length === 0 && (
        <p className="px-3 pb-3 text-mute">
          No stage is known by “{typed}”. Leave a letter out, or try another word.
        </p>
      )}
    </div>
  );
}
