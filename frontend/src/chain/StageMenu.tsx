import { DropdownMenu } from "radix-ui";
import { memo } from "react";
import { useShape } from "../state/recipeShape";
import { useBench } from "../state/store";
import { MASTER } from "../tree/tree";
import {
  chosen,
  copy,
  cut,
  dissolve,
  duplicate,
  moveToLane,
  pasteCopied,
  remove,
  WAYS,
  wrapIn,
} from "./stageActions";
import { select } from "../state/listening";

interface Props {
  id: string;
  isSplit: boolean;
  title: string;
}

/** What is done to a stage, or to all that are chosen with it. */
export const StageMenu = memo(function StageMenu({ id: own, isSplit, title }: Props) {
  const recipe = useShape();
  const lane = useBench((s) => s.lane);
  const lanes = [
    ...[...recipe.buses, ...recipe.groups].map(({ id, name }) => ({ id, name: name || id })),
    { id: MASTER, name: "Master" },
  ].filter(({ id }) => id !== lane);
  const on = (act: (ids: string[]) => void) => () => {
    if (!chosen().includes(own)) select(own);
    act(chosen());
  };
  return (
    <DropdownMenu.Root>
      <DropdownMenu.Trigger
        aria-label={`More of ${title}`}
        title="More"
        className="absolute top-[4px] right-[4px] z-10 px-[5px] text-[14px] leading-none text-mute opacity-0 group-focus-within:opacity-100 group-hover:opacity-100 hover:text-ink data-[state=open]:opacity-100"
      >
        ⋯
      </DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content className="menu" align="start" sideOffset={2}>
          <Item onSelect={on(copy)} keys="Ctrl C">
            Copy
          </Item>
          <Item onSelect={on(cut)} keys="Ctrl X">
            Cut
          </Item>
          <Item
            onSelect={() => {
              select(own);
              pasteCopied();
            }}
            keys="Ctrl V"
          >
            Paste below
          </Item>
          <Item onSelect={on(duplicate)} keys="Ctrl D">
            The same again below
          </Item>
          <DropdownMenu.Separator className="my-1 h-px bg-line" />
          <Submenu label="Wrap in a split by">
            {WAYS.map(({ by, label }) => (
              <Item key={by} onSelect={on((ids) => wrapIn(ids, by))}>
                {label}
              </Item>
            ))}
          </Submenu>
          {isSplit && <Item onSelect={() => dissolve(own)}>Dissolve: its stages into the chain</Item>}
          <Submenu label="Move to">
            {lanes.map(({ id, name }) => (
              <Item key={id} onSelect={on((ids) => moveToLane(ids, id))}>
                {name}
              </Item>
            ))}
          </Submenu>
          <DropdownMenu.Separator className="my-1 h-px bg-line" />
          <Item onSelect={on(remove)} keys="Del">
            Remove
          </Item>
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  );
});

function Item({ keys, onSelect, children }: { keys?: string; onSelect: () => void; children: string }) {
  return (
    <DropdownMenu.Item onSelect={onSelect} className="flex! items-baseline gap-4">
      <span className="flex-1">{children}</span>
      {keys && <span className="cap">{keys}</span>}
    </DropdownMenu.Item>
  );
}

function Submenu({ label, children }: { label: string; children: React.ReactNode }) {
  return (
    <DropdownMenu.Sub>
      <DropdownMenu.SubTrigger className="flex items-baseline gap-4">
        <span className="flex-1">{label}</span>
        <span className="cap">▸</span>
      </DropdownMenu.SubTrigger>
      <DropdownMenu.Portal>
        <DropdownMenu.SubContent className="menu">{children}</DropdownMenu.SubContent>
      </DropdownMenu.Portal>
    </DropdownMenu.Sub>
  );
}
