/** The record that is open: as it stands, what it measures, and its edits. */
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { create } from "zustand";
import { api } from "../api/client";
import type { RecordHeard, RecordNow } from "../api/recordTypes";
import { complain, useBench } from "../state/store";

const ASK_MS = 700;
const POLL_MS = 5000;
const COLUMNS = 440;

/** How the record is heard, and which parts of it. */
export const useHearing = create<{ part: "all" | "joins"; level: "own" | "equal" }>(() => ({
  part: "all",
  level: "own",
}));

/** The record as it stands, or why it cannot be shown. */
export function useRecord(): { record: RecordNow | undefined; problem: string | null } {
  const id = useBench((s) => s.record ?? 0);
  const { data, error } = useQuery({
    queryKey: ["record", id],
    queryFn: () => api.record(id),
    enabled: id > 0,
    // songs may still come into it
    refetchInterval: ({ state }) => (waiting || state.error ? false : POLL_MS),
    retry: false,
  });
  return { record: data, problem: error?.message ?? null };
}

/** What the record measures, as far as it is known, or why it is not. */
export function useRecordHeard(record: RecordNow | undefined): {
  heard: RecordHeard | undefined;
  problem: string | null;
} {
  const { data, error } = useQuery({
    queryKey: ["record-heard", record?.id, record?.edit, record?.songs.length],
    queryFn: () => api.recordHeard(record!.id, COLUMNS),
    enabled: record !== undefined,
    refetchInterval: ({ state }) =>
      !state.error &&
      state.data &&
      !state.data.papers &&
      !["failed", "stopped"].includes(state.data.work?.state ?? "")
        ? ASK_MS
        : false,
    retry: false,
    placeholderData: (before) => before,
  });
  return { heard: data, problem: error?.message ?? data?.work?.problem ?? null };
}

function headOf({ title, artist, date, upc, cover }: RecordNow) {
  return { title, artist, date, upc, cover };
}

function stateOf(record: RecordNow): object {
  // what the sound file is, is no part of it
  const laid = record.songs.map((song) => ({ ...song, rate_hz: undefined, frames: undefined }));
  return { ...headOf(record), songs: laid };
}

/** Edits that are not kept yet, of the record that is open: each goes when the one before it was answered. */
let queue: Promise<void> = Promise.resolve();
let waiting = 0;

/** Edits of the record, seen at once and kept one after the other; each can be undone. */
export function useRecordEdits() {
  const client = useQueryClient();
  const id = useBench((s) => s.record ?? 0);
  const key = ["record", id];
  const now = () => client.getQueryData<RecordNow>(key);
  const take = (record: RecordNow) => client.setQueryData(key, record);

  const edit = (label: string, change: (record: RecordNow) => RecordNow): Promise<void> => {
    const record = now();
    if (!record) return Promise.resolve();
    const changed = change(record);
    take(changed);
    waiting++;
    queue = queue.then(async () => {
      try {
        // made on what was answered last, with what was edited up to then
        const kept = await api.changeRecord(id, now()?.edit ?? record.edit, label, stateOf(changed));
        waiting--;
        const shown = now();
        take(waiting && shown ? { ...kept, ...headOf(shown), songs: shown.songs } : kept);
      } catch (refused) {
        waiting--;
        complain(refused);
        await client.invalidateQueries({ queryKey: key });
      }
    });
    return queue;
  };

  const step = (direction: "undo" | "redo"): Promise<void> => {
    queue = queue.then(async () => {
      try {
        take(await api.stepRecord(id, direction));
      } catch (refused) {
        complain(refused);
      }
    });
    return queue;
  };

  return { edit, step };
}
