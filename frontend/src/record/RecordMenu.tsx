import { useQuery, useQueryClient } from "@tanstack/react-query";
import { DropdownMenu } from "radix-ui";
import { useState } from "react";
import { api } from "../api/client";
import type { RecordNow, RecordRow } from "../api/recordTypes";
import { openRecord } from "../state/openSong";
import { complain } from "../state/store";
import { Sheet } from "../ui/Sheet";

/** The records of the library: opened, made, put away, deleted and brought back. */
export function RecordMenu({ record }: { record: RecordNow | undefined }) {
  const client = useQueryClient();
  const [naming, setNaming] = useState(false);
  const { data: records } = useQuery({ queryKey: ["records"], queryFn: api.records });
  const id = record?.id ?? 0;
  const there = records?.find((row) => row.id === id);
  const mark = (which: "archived" | "deleted", on: boolean, of = id) => {
    api
      .markRecord(of, which, on)
      .then((rows) => {
        client.setQueryData(["records"], rows);
        void client.invalidateQueries({ queryKey: ["record", of] });
      })
      .catch(complain);
  };
  const make = (title: string, artist: string) => {
    setNaming(false);
    api
      .addRecord(title, artist)
      .then(async ({ id: made }) => {
        await client.invalidateQueries({ queryKey: ["records"] });
        await openRecord(made);
      })
      .catch(complain);
  };
  const listed = (rows: RecordRow[]) =>
    rows.map((row) => (
      <DropdownMenu.Item key={row.id} onSelect={() => void openRecord(row.id).catch(complain)}>
        {row.title} <span className="text-mute">· {row.songs} songs</span>
        {row.id === id && <span className="text-green"> · open</span>}
      </DropdownMenu.Item>
    ));
  const kept = (records ?? []).filter((row) => !row.deleted && !row.archived);
  const away = (records ?? []).filter((row) => !row.deleted && row.archived);
  const gone = (records ?? []).filter((row) => row.deleted);
  return (
    <>
      <DropdownMenu.Root>
        <DropdownMenu.Trigger
          className="px-2 py-1 hover:bg-white/15"
          aria-label={`Records: ${record?.title ?? ""}`}
        >
          {record?.title ?? "…"} <span aria-hidden>▾</span>
        </DropdownMenu.Trigger>
        <DropdownMenu.Portal>
          <DropdownMenu.Content className="menu max-h-[70vh] overflow-y-auto" align="start" sideOffset={4}>
            {listed(kept)}
            {away.length > 0 && <DropdownMenu.Label className="cap px-2 pt-2">put away</DropdownMenu.Label>}
            {listed(away)}
            <DropdownMenu.Separator className="my-1 h-px bg-line" />
            <DropdownMenu.Item onSelect={() => setNaming(true)}>New record …</DropdownMenu.Item>
            {there && !there.deleted && (
              <>
                <DropdownMenu.Item onSelect={() => mark("archived", !there.archived)}>
                  {there.archived ? "Take it out again" : "Put this record away"}
                </DropdownMenu.Item>
                <DropdownMenu.Item onSelect={() => mark("deleted", true)}>
                  Delete this record <span className="cap">its songs go with it, and come back with it</span>
                </DropdownMenu.Item>
              </>
            )}
            {gone.map((row) => (
              <DropdownMenu.Item key={row.id} onSelect={() => mark("deleted", false, row.id)}>
                Bring back “{row.title}”
              </DropdownMenu.Item>
            ))}
          </DropdownMenu.Content>
        </DropdownMenu.Portal>
      </DropdownMenu.Root>
      <Sheet title="New record" open={naming} onOpenChange={setNaming}>
        <form
          className="mt-4 grid grid-cols-[80px_1fr_auto] items-center gap-2"
          onSubmit={(event) => {
            event.preventDefault();
            const form = new FormData(event.currentTarget);
            const [title, artist] = ["title", "artist"].map((name) => (form.get(name) as string).trim());
            if (title) make(title, artist ?? "");
          }}
        >
          <label htmlFor="record-title">Title</label>
          <input
            id="record-title"
            name="title"
            autoFocus
            maxLength={200}
            className="border border-line bg-well px-2 py-[3px]"
          />
          <span />
          <label htmlFor="record-artist">Artist</label>
          <input
            id="record-artist"
            name="artist"
            maxLength={200}
            className="border border-line bg-well px-2 py-[3px]"
          />
          <button type="submit" className="strong">
            Make
          </button>
        </form>
      </Sheet>
    </>
  );
}
