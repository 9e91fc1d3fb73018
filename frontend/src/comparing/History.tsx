import { useInfiniteQuery, useQueryClient } from "@tanstack/react-query";
import { Popover } from "radix-ui";
import { Fragment } from "react";
import { api } from "../api/client";
import type { Edit } from "../api/types";
import { returnTo } from "../state/edits";
import { settle } from "../state/saving";
import { compare } from "../state/listening";
import { complain, useBench } from "../state/store";
import { formatMoment } from "../ui/format";

/** Everything that was done to the song: heard at a click, gone back to, kept as a version. */
export function History() {
  const compared = useBench((s) => s.heard.startsWith("edit:"));
  return (
    <Popover.Root onOpenChange={(open) => !open && compared && compare("now")}>
      <Popover.Trigger
        className="px-2 py-1 hover:bg-white/15"
        title="All edits of this song: listen to any of them, or restore it"
      >
        History
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          aria-label="History"
          className="menu w-[420px] p-0!"
          align="end"
          sideOffset={6}
          collisionPadding={8}
          onInteractOutside={(event) => event.preventDefault()}
        >
          <Edits />
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}

function Edits() {
  const song = useBench((s) => s.song!.id);
  const here = useBench((s) => s.revision!.id);
  const heard = useBench((s) => s.heard);
  const { data, hasNextPage, fetchNextPage } = useInfiniteQuery({
    queryKey: ["history", song, here],
    queryFn: ({ pageParam }) => api.history(song, pageParam),
    initialPageParam: undefined as number | undefined,
    getNextPageParam: ({ edits, more }) => (more ? edits.at(-1)?.id : undefined),
    placeholderData: (before) => before,
  });
  const edits = data?.pages.flatMap((page) => page.edits) ?? [];
  const days = edits.map((edit) => formatMoment(edit.made_at).slice(0, 10));
  return (
    <div className="flex max-h-[70vh] flex-col">
      <div className="flex items-center gap-2 border-b border-line px-3 py-2">
        <button
          type="button"
          aria-pressed={heard === "now"}
          className={`plain ${heard === "now" ? "bg-ink! text-page" : ""}`}
          onClick={() => compare("now")}
        >
          hear now
        </button>
        <span className="cap flex-1">Click an edit to hear it at equal loudness</span>
        <Popover.Close
          aria-label="Close"
          className="px-1 text-[16px] leading-none text-mute hover:text-copper"
        >
          ×
        </Popover.Close>
      </div>
      <ol aria-label="Edits" className="overflow-y-auto py-1">
        {edits.map((edit, i) => (
          <Fragment key={edit.id}>
            {days[i] !== days[i - 1] && <li className="cap px-3 pt-2 pb-1">{days[i]}</li>}
            <Row edit={edit} present={edit.id === here} />
          </Fragment>
        ))}
        {hasNextPage && edits.length > 0 && (
          <li className="px-3 py-2">
            <button type="button" className="plain" onClick={() => void fetchNextPage()}>
              older edits
            </button>
          </li>
        )}
      </ol>
    </div>
  );
}

function Row({ edit, present }: { edit: Edit; present: boolean }) {
  const song = useBench((s) => s.song!.id);
  const name = `edit:${edit.id}`;
  const heard = useBench((s) => s.heard === name);
  const client = useQueryClient();
  const keep = async () => {
    try {
      await settle();
      const version = await api.addVersion(song, edit.label, edit.id);
      await client.invalidateQueries();
      useBench.setState({ said: `“${version.name}” is a version now.` });
    } catch (refused) {
      complain(refused);
    }
  };
  return (
    <li className={`group flex items-center gap-2 px-3 ${heard ? "bg-rim2" : "hover:bg-trough"}`}>
      <button
        type="button"
        aria-pressed={heard}
        className="flex min-w-0 flex-1 items-baseline gap-3 py-[4px] text-left"
        onClick={() => compare(heard || present ? "now" : name)}
      >
        <span className="cap shrink-0">{formatMoment(edit.made_at).slice(11)}</span>
        <span className="truncate">{edit.label}</span>
        {edit.version && <span className="cap shrink-0 text-green">{edit.version}</span>}
      </button>
      {present ? (
        <span className="cap">now</span>
      ) : (
        <span className={heard ? "flex gap-1" : "hidden gap-1 group-focus-within:flex group-hover:flex"}>
          <button type="button" className="plain px-[6px]! py-0!" onClick={() => void keep()}>
            keep
          </button>
          <button
            type="button"
            className="plain px-[6px]! py-0!"
            title="Make this the present state; undo takes that back"
            onClick={() => {
              compare("now");
              void returnTo(edit.id);
            }}
          >
            go back to it
          </button>
        </span>
      )}
    </li>
  );
}
