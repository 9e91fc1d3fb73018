import { Popover } from "radix-ui";
import { useRef } from "react";
import { upload } from "../api/client";
import type { RecordHead, RecordNow } from "../api/recordTypes";
import { complain } from "../state/store";
import { FileChooser } from "../ui/FileChooser";
import { InlineCode } from "../ui/InlineCode";

interface Props {
  record: RecordNow;
  onChange: (label: string, change: Partial<RecordHead>) => void;
}

/** The day and the number that a record is released by, and its cover. */
export function RecordCard({ record, onChange }: Props) {
  const told = [record.date, record.upc && `UPC ${record.upc}`, record.cover && "cover"].filter(Boolean);
  return (
    <Popover.Root>
      <Popover.Trigger className="px-1 text-[11px] whitespace-nowrap text-mute hover:text-ink">
        {told.join(" · ") || "date, UPC, cover"} <span aria-hidden>▾</span>
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          aria-label="Date, UPC and cover"
          className="menu flex w-[310px] flex-col gap-2 p-3!"
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
          <Cover
            cover={record.cover}
            onCover={(cover) => onChange(cover ? "a cover" : "no cover", { cover })}
          />
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}

/** The picture that goes into files that hold one. */
function Cover({ cover, onCover }: { cover: string | null; onCover: (cover: string | null) => void }) {
  const chooser = useRef<HTMLInputElement>(null);
  const take = async (file: File) => {
    try {
      onCover((await upload<{ cover: string }>(file, () => undefined, "covers")).cover);
    } catch (refused) {
      complain(refused);
    }
  };
  return (
    <div className="flex items-center gap-2">
      Cover
      {cover ? (
        <img src={`/api/covers/${cover}`} alt="Cover" className="size-16 border border-line object-cover" />
      ) : (
        <span className="cap">PNG or JPEG</span>
      )}
      <button
        type="button"
        className="plain ml-auto whitespace-nowrap"
        onClick={() => chooser.current?.click()}
      >
        {cover ? "another …" : "choose …"}
      </button>
      {cover && (
        <button type="button" className="plain whitespace-nowrap" onClick={() => onCover(null)}>
          take off
        </button>
      )}
      <FileChooser
        label="Choose a cover"
        chooser={chooser}
        accept="image/png,image/jpeg"
        onFiles={([file]) => file && void take(file)}
      />
    </div>
  );
}
