import { useQuery, useQueryClient } from "@tanstack/react-query";
import { DropdownMenu } from "radix-ui";
import { memo, useState } from "react";
import { api } from "../api/client";
import type { Kind, Value } from "../api/types";
import { setParams } from "../state/editing";
import { edit } from "../state/edits";
import { complain, kindInfo, useBench } from "../state/store";
import { stageOf } from "../tree/tree";
import { Sheet } from "../ui/Sheet";

/** Settings to start from: ours by purpose, and the user's own. */
export const Presets = memo(function Presets({ id, kind }: { id: string; kind: Kind }) {
  const { data } = useQuery({ queryKey: ["starts"], queryFn: api.startingPoints, staleTime: Infinity });
  const client = useQueryClient();
  const [naming, setNaming] = useState(false);
  const starts = (data ?? []).filter((start) => start.kind === kind);
  const change = (values: Record<string, Value>, label: string) => {
    const { recipe } = useBench.getState();
    if (recipe) edit(setParams(recipe, id, values), `${kindInfo(kind)?.title ?? ""}: ${label}`, true);
  };
  const keep = (name: string) => {
    setNaming(false);
    const { recipe } = useBench.getState();
    const stage = recipe && stageOf(recipe, id);
    if (!stage) return;
    api
      .keepStartingPoint(name, stage)
      .then(() => client.invalidateQueries({ queryKey: ["starts"] }))
      .catch(complain);
  };
  return (
    <DropdownMenu.Root>
      <DropdownMenu.Trigger className="plain whitespace-nowrap">Presets ▾</DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content className="menu" align="end" sideOffset={4}>
          {starts.map((start) => (
            <DropdownMenu.Item
              key={start.name}
              onSelect={() => change(start.params, start.title.toLowerCase())}
            >
              <b className="font-[640]">{start.title}</b>
              <span className="block max-w-[280px] text-[11px] text-mute">{start.says}</span>
            </DropdownMenu.Item>
          ))}
          <DropdownMenu.Separator className="my-1 h-px bg-line" />
          <DropdownMenu.Item onSelect={() => setNaming(true)}>
            Keep this setting as a starting point …
          </DropdownMenu.Item>
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
      <Sheet title="Keep as a starting point" open={naming} onOpenChange={setNaming}>
        <form
          className="mt-4 flex items-center gap-2"
          onSubmit={(event) => {
            event.preventDefault();
            const name = new FormData(event.currentTarget).get("name");
            if (typeof name === "string" && name.trim()) keep(name.trim());
          }}
        >
          <label className="flex flex-1 items-center gap-2">
            Name
            <input
              name="name"
              autoFocus
              maxLength={80}
              className="flex-1 border border-line bg-well px-2 py-[3px]"
            />
          </label>
          <button type="submit" className="strong">
            Keep
          </button>
        </form>
      </Sheet>
    </DropdownMenu.Root>
  );
});
