import { Popover } from "radix-ui";
import type { RecordHead, RecordNow } from "../api/recordTypes";
import { InlineCode } from "../ui/InlineCode";

interface Props {
  record: RecordNow;
  onChange: (label: string, change: Partial<RecordHead>) => void;
}

/** The day and the number that a record is released by. */
export function RecordCard({ record, onChange }: Props) {
  return (
    <Popover.Root>
      <Popover.Trigger className="px-1 text-[11px] whitespace-nowrap text-mute hover:text-ink">
        {[record.date, record.upc && `UPC ${record.upc}`].filter(Boolean).join(" · ") || "date, UPC"}{" "}
        <span aria-hidden>▾</span>
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          aria-label="Date and UPC"
          className="menu flex w-[250px] flex-col gap-2 p-3!"
          side="bottom"
          align="start"
          sideOffset={2}
        >
          <InlineCode
            label="Date"
            hint="2026-11-26"
            value={record.date}
            onValue={(date) => onChange(date ? `date ${date}` : "no date", { date })}
          />
          <InlineCode
            label="UPC"
            hint="12 or 13 digits"
            value={record.upc}
            onValue={(upc) => onChange(upc ? `UPC ${upc}` : "no UPC", { upc })}
          />
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}
