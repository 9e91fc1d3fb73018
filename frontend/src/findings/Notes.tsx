import { useQuery, useQueryClient } from "@tanstack/react-query";
import { Popover } from "radix-ui";
import { useState } from "react";
import type { ReactNode } from "react";
import { api } from "../api/client";
import type { Notes as AllNotes } from "../api/types";
import { heardSong, seek } from "../state/listening";
import { complain, useBench } from "../state/store";
import { formatTime } from "../ui/format";

/** The engineer's own notes, and what belongs to the mix: ticked off when a new bounce comes, handed on as a list. */
export function Notes() {
  return (
    <Popover.Root>
      <Popover.Trigger className="px-2 py-1 hover:bg-white/15" title="Your own notes, and a list for the mix">
        Notes
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          aria-label="Notes"
          className="menu flex max-h-[76vh] w-[440px] flex-col p-3!"
          align="end"
          sideOffset={6}
          collisionPadding={8}
        >
          <List />
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}

function List() {
  const song = useBench((s) => s.song)!;
  const client = useQueryClient();
  const key = ["notes", song.id, song.revision.bounces];
  const [text, setText] = useState("");
  const [placed, setPlaced] = useState(true);
  const { data } = useQuery({
    queryKey: key,
    queryFn: () => api.notes(song.id),
    refetchInterval: ({ state }) => (state.data && state.data.found === null ? 700 : false),
  });
  const take = (asked: Promise<AllNotes>) => {
    asked.then((notes) => client.setQueryData(key, notes)).catch(complain);
  };
  const add = () => {
    if (!text.trim()) return;
    take(api.addNote(song.id, placed ? heardSong() / song.rate_hz : null, text.trim()));
    setText("");
  };
  const hear = (at: number) => seek(at * song.rate_hz);
  return (
    <>
      <form
        className="flex flex-col gap-2"
        onSubmit={(event) => {
          event.preventDefault();
          add();
        }}
      >
        <textarea
          aria-label="A new note"
          rows={2}
          maxLength={2000}
          placeholder="What you hear, and what to do about it"
          className="w-full resize-none border border-line bg-well px-2 py-1"
          value={text}
          onChange={({ target }) => setText(target.value)}
          onKeyDown={(event) => {
            event.stopPropagation();
            if (event.key !== "Enter" || event.shiftKey) return;
            event.preventDefault();
            add();
          }}
        />
        <div className="flex items-center gap-2">
          <label className="flex items-center gap-1">
            <input type="checkbox" checked={placed} onChange={({ target }) => setPlaced(target.checked)} />
            where it is heard now
          </label>
          <button type="submit" className="strong ml-auto" disabled={!text.trim()}>
            Note it
          </button>
        </div>
      </form>
      <div className="mt-2 min-h-0 overflow-y-auto">
        <ul aria-label="Your notes">
          {data?.own.map(({ id, at_s, text, done }) => (
            <Line
              key={id}
              at={at_s}
              done={done}
              onHear={hear}
              onDone={(on) => take(api.changeNote(song.id, id, text, on))}
            >
              <span className="flex-1 select-text">{text}</span>
              <button
                type="button"
                aria-label="Throw this note away"
                className="px-1 text-mute hover:text-copper"
                onClick={() => take(api.removeNote(song.id, id))}
              >
                ×
              </button>
            </Line>
          ))}
        </ul>
        <div className="mt-2 flex items-center gap-3 border-t border-line pt-2">
          <b className="font-[660]">For whoever mixed it</b>
          <a className="cap hover:underline" href={`/api/songs/${song.id}/notes/for-mix`} download>
            as text
          </a>
          <a className="cap hover:underline" href={`/api/songs/${song.id}/notes/for-mix?format=csv`} download>
            as CSV
          </a>
        </div>
        <p className="cap">found in the song as it came; your notes go along</p>
        {data?.found === null && <p role="status">surveying …</p>}
        <ul aria-label="Found in the mix">
          {data?.found?.map(({ id, at_s, text, done }) => (
            <Line
              key={id}
              at={at_s}
              done={done}
              onHear={hear}
              onDone={(on) => take(api.tickFinding(song.id, id, on))}
            >
              <span className="flex-1 select-text">{text}</span>
            </Line>
          ))}
        </ul>
        {data?.found?.length === 0 && <p className="text-mute">Nothing to say to the mix.</p>}
      </div>
    </>
  );
}

interface LineProps {
  at: number | null;
  done: boolean;
  onHear: (at: number) => void;
  onDone: (done: boolean) => void;
  children: ReactNode;
}

function Line({ at, done, onHear, onDone, children }: LineProps) {
  return (
    <li className={`flex items-start gap-2 border-t border-faint py-[3px] ${done ? "text-mute" : ""}`}>
      <input
        type="checkbox"
        aria-label="Done"
        className="mt-[3px]"
        checked={done}
        onChange={({ target }) => onDone(target.checked)}
      />
      {at === null ? (
        <span className="w-[38px] shrink-0 text-mute">song</span>
      ) : (
        <button
          type="button"
          className="w-[38px] shrink-0 text-left font-[650] text-copper hover:underline"
          onClick={() => onHear(at)}
        >
          {formatTime(at)}
        </button>
      )}
      {children}
    </li>
  );
}
