/** The record that is open: as it stands, what it measures, and its edits. */
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { create } from "zustand";
import { api } from "../api/client";
import type { RecordHeard, RecordNow } from "../api/types";
import { complain, useBench } from "../state/store";

const ASK_MS = 700;
const COLUMNS = 440;

/** How the record is heard, and which parts of it. */
export const useHearing = create<{ part: "all" | "joins"; level: "own" | "equal" }>(() => ({
  part: "all",
  level: "own",
}));

export function useRecord(): RecordNow | undefined {
  const id = useBench((s) => s.record ?? 0);
  const { data } = useQuery({
    queryKey: ["record", id],
    queryFn: () => api.record(id),
    enabled: id > 0,
    // songs may still come into it
    refetchInterval: () => (waiting ? false : 5000),
  });
  return data;
}

export function useRecordHeard(record: RecordNow | undefined): RecordHeard | undefined {
  const { data } = useQuery({
    queryKey: ["record-heard", record?.id, record?.edit, record?.songs.length],
    queryFn: () => api.recordHeard(record!.id, COLUMNS),
    enabled: record !== undefined,
    refetchInterval: ({ state }) =>
      state.data && !state.data.papers && !["failed", "stopped"].includes(state.data.work?.state ?? "")
        ? ASK_MS
        : false,
    placeholderData: (before) => before,
  });
  return data;
}

function headOf({ title, artist, date, upc }: RecordNow) {
  return { title, artist, date, upc };
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
