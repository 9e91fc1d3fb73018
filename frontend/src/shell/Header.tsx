import { useQuery } from "@tanstack/react-query";
import { DropdownMenu } from "radix-ui";
import { useRef, useState } from "react";
import { api } from "../api/client";
import type { Saved } from "../state/store";
import { importFiles } from "../state/importing";
import { openRecord, openSong } from "../state/openSong";
import { useBackgroundImport } from "../state/useBackgroundImport";
import { step } from "../state/edits";
import { complain, useBench } from "../state/store";
import { FileChooser } from "../ui/FileChooser";
import { formatMoment } from "../ui/format";
import { toggleTheme } from "./theme";
import { History } from "../comparing/History";
import { Notes } from "../findings/Notes";
import { PrintDialog } from "./PrintDialog";
import { Shortcuts } from "./Shortcuts";

function savedWords(saved: Saved, madeAt: string): string {
  if (saved === "saving") return "Saving …";
  if (saved === "failed") return "Not saved";
  return `Saved ${formatMoment(madeAt).slice(11)}`;
}

export function Header() {
  const song = useBench((s) => s.song)!;
  const revision = useBench((s) => s.revision)!;
  const saved = useBench((s) => s.saved);
  return (
    <header className="flex items-center gap-4 bg-header px-[14px] text-on-header">
      <h1 className="text-[14px] font-bold [font-stretch:104%]">Tin Kettle</h1>
      <SongMenu />
      <nav aria-label="Views" className="flex self-stretch">
        <span aria-current="page" className="grid place-items-center bg-enamel px-4 font-[640] text-ink">
          Bench
        </span>
        <button
          type="button"
          className="px-4 opacity-80 hover:bg-white/15"
          title="All songs of the record beside each other"
          onClick={() => void openRecord(song.record_id).catch(complain)}
        >
          Record
        </button>
      </nav>
      <span className="hidden truncate opacity-70 xl:inline">{song.artist}</span>
      <div className="ml-auto flex items-center gap-[6px]">
        <span role="status" className={`px-2 ${saved === "failed" ? "bg-copper" : "opacity-80"}`}>
          {savedWords(saved, revision.made_at)}
        </span>
        <Action
          label="Undo"
          title={revision.undo ? `Undo “${revision.undo}” (Ctrl Z)` : "Nothing to undo"}
          disabled={!revision.undo && saved === "saved"}
          onClick={() => void step("undo")}
        />
        <Action
          label="Redo"
          title={revision.redo ? `Redo “${revision.redo}” (Ctrl Shift Z)` : "Nothing to redo"}
          disabled={!revision.redo}
          onClick={() => void step("redo")}
        />
        <Notes />
        <History />
        <PrintDialog />
        <Action label="Theme" title="Light or dark" onClick={toggleTheme} />
        <Shortcuts />
      </div>
    </header>
  );
}

function Action(props: { label: string; title: string; disabled?: boolean; onClick: () => void }) {
  return (
    <button
      type="button"
      title={props.title}
      disabled={props.disabled}
      onClick={props.onClick}
      className="px-2 py-1 hover:not-disabled:bg-white/15"
    >
      {props.label}
    </button>
  );
}

/** The songs of the library, and the way to bring another. */
function SongMenu() {
  const song = useBench((s) => s.song)!;
  const chooser = useRef<HTMLInputElement>(null);
  const [open, setOpen] = useState(false);
  const coming = useBackgroundImport(open);
  const { data: songs } = useQuery({
    queryKey: ["songs", song.id, coming],
    queryFn: api.songs,
    enabled: open,
    placeholderData: (before) => before,
  });
  return (
    <>
      <DropdownMenu.Root open={open} onOpenChange={setOpen}>
        <DropdownMenu.Trigger
          className="px-2 py-1 hover:bg-white/15"
          aria-label={`Songs: ${song.record} / ${song.place} · ${song.title}`}
        >
          <span className="opacity-80">{song.record}</span>
          {" / "}
          {song.place} · {song.title} <span aria-hidden>▾</span>
        </DropdownMenu.Trigger>
        <DropdownMenu.Portal>
          <DropdownMenu.Content className="menu max-h-[70vh] overflow-y-auto" align="start" sideOffset={4}>
            {(songs ?? []).map((row) => (
              <DropdownMenu.Item key={row.id} onSelect={() => void openSong(row.id).catch(complain)}>
                <span className="text-mute">{row.record} / </span>
                {row.place} · {row.title}
                {row.id === song.id && <span className="text-green"> · open</span>}
              </DropdownMenu.Item>
            ))}
            {coming && (
              <DropdownMenu.Label role="status" className="px-3 py-1 text-mute">
                {coming} …
              </DropdownMenu.Label>
            )}
            <DropdownMenu.Separator className="my-1 h-px bg-line" />
            <DropdownMenu.Item className="font-semibold text-rim" onSelect={() => chooser.current?.click()}>
              Bring files …{" "}
              <span className="cap">one pre-master, or several buses; or drop them anywhere</span>
            </DropdownMenu.Item>
          </DropdownMenu.Content>
        </DropdownMenu.Portal>
      </DropdownMenu.Root>
      <FileChooser
        chooser={chooser}
        label="Bring a file"
        multiple
        accept=".wav,.flac,.aif,.aiff,.ogg,audio/*"
        onFiles={(files) => void importFiles(files)}
      />
    </>
  );
}
