import { Tabs } from "radix-ui";
import { Sheet } from "../ui/Sheet";
import { CodecPreview } from "../comparing/CodecPreview";
import { BeforeAfter } from "../comparing/BeforeAfter";
import { Blind } from "../comparing/Blind";
import { References } from "../comparing/References";
import { Versions } from "../comparing/Versions";

const TABS = [
  ["versions", "Versions"],
  ["references", "References"],
  ["figures", "Before and after"],
  ["coded", "Codec preview"],
  ["blind", "Blind test"],
] as const;

/** All that belongs to comparing, behind one button. */
export function ComparePanel() {
  return (
    <Sheet
      title="Compare"
      wide
      trigger={
        <button
          type="button"
          className="plain shrink-0 bg-well px-2!"
          aria-label="Compare …"
          title="Versions, references, figures"
        >
          <span className="max-[1100px]:hidden">Compare </span>…
        </button>
      }
    >
      <Tabs.Root defaultValue="versions" className="mt-3">
        <Tabs.List className="flex gap-1 border-b border-line" aria-label="Compare">
          {TABS.map(([value, label]) => (
            <Tabs.Trigger
              key={value}
              value={value}
              className="px-3 py-[6px] text-mute data-[state=active]:border-b-[3px] data-[state=active]:border-rim data-[state=active]:font-[650] data-[state=active]:text-ink"
            >
              {label}
            </Tabs.Trigger>
          ))}
        </Tabs.List>
        <Tabs.Content value="versions" className="pt-4">
          <Versions />
        </Tabs.Content>
        <Tabs.Content value="references" className="pt-4">
          <References />
        </Tabs.Content>
        <Tabs.Content value="figures" className="pt-4">
          <BeforeAfter />
        </Tabs.Content>
        <Tabs.Content value="coded" className="pt-4">
          <CodecPreview />
        </Tabs.Content>
        <Tabs.Content value="blind" className="pt-4">
          <Blind />
        </Tabs.Content>
      </Tabs.Root>
    </Sheet>
  );
}
