import { DropdownMenu } from "radix-ui";
import { busOf, laneOf } from "../state/editing";
import { useBench } from "../state/store";
import type { CompressorProps } from "./compressor";

/** Which buses the detector listens to. */
export function KeyMenu({ stage, change }: CompressorProps) {
  const recipe = useBench((s) => s.recipe)!;
  const own = laneOf(recipe, stage.id);
  const lanes = [...recipe.buses, ...recipe.groups].filter(({ id }) => id !== own);
  if (recipe.buses.length < 2) return null;
  const keys = stage.params.key ?? [];
  const named = keys.map((id) => busOf(recipe, id)?.name || id).join(" + ");
  return (
    <DropdownMenu.Root>
      <DropdownMenu.Trigger
        className={`plain max-w-[130px] truncate whitespace-nowrap ${keys.length ? "border-copper! text-copper" : ""}`}
        title="Listens to other buses instead of its own input"
      >
        {keys.length ? `key: ${named}` : "key ▾"}
      </DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content className="menu" align="end" sideOffset={4}>
          {lanes.map(({ id, name }) => (
            <DropdownMenu.CheckboxItem
              key={id}
              checked={keys.includes(id)}
              onSelect={(event) => event.preventDefault()}
              onCheckedChange={(on) => {
                const next = on ? [...keys, id] : keys.filter((one) => one !== id);
                change({ key: next.length ? next : null }, `key ${next.join(" + ") || "its own input"}`);
              }}
            >
              {keys.includes(id) ? "✓ " : "   "}
              {name || id}
            </DropdownMenu.CheckboxItem>
          ))}
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  );
}
