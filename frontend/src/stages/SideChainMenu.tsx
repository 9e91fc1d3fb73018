import { DropdownMenu } from "radix-ui";
import { busOf, laneOf } from "../state/editing";
import { useShape } from "../state/recipeShape";
import { useBench } from "../state/store";
import type { CompressorProps } from "./compressor";
import { compressorOf } from "./compressor";

const NONE: string[] = [];

/** Which buses the detector listens to. */
export function SideChainMenu({ id, change }: CompressorProps) {
  const recipe = useShape();
  const keys = useBench((s) => compressorOf(s.recipe, id)?.params.key ?? NONE);
  const own = laneOf(recipe, id);
  const lanes = [...recipe.buses, ...recipe.groups].filter(({ id }) => id !== own);
  if (recipe.buses.length < 2) return null;
  const named = keys.map((id) => busOf(recipe, id)?.name || id).join(" + ");
  return (
    <DropdownMenu.Root>
      <DropdownMenu.Trigger
        className={`plain max-w-[130px] truncate whitespace-nowrap ${keys.length ? "border-copper! text-copper" : ""}`}
        title="The detector listens to these buses instead of its own input"
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
