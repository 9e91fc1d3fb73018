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
    refetchInterval: 5000,
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

function stateOf({ title, artist, date, upc, songs }: RecordNow): object {
  // what the sound file is, is no part of it
  const laid = songs.map((song) => ({ ...song, rate_hz: undefined, frames: undefined }));
  return { title, artist, date, upc, songs: laid };
}

/** Edits of the record, one after the other; each is kept at once and can be undone. */
export function useRecordEdits() {
  const client = useQueryClient();
  const id = useBench((s) => s.record ?? 0);
  const key = ["record", id];
  const take = (record: RecordNow) => client.setQueryData(key, record);
  const edit = async (label: string, change: (record: RecordNow) => RecordNow): Promise<void> => {
    const record = client.getQueryData<RecordNow>(key);
    if (!record) return;
    const changed = change(record);
    // seen at once, kept a moment later
    take(changed);
    try {
      take(await api.changeRecord(id, record.edit, label, stateOf(changed)));
    } catch (refused) {
      complain(refused);
      await client.invalidateQueries({ queryKey: key });
    }
  };
  const step = async (direction: "undo" | "redo"): Promise<void> => {
    try {
      take(await api.stepRecord(id, direction));
    } catch (refused) {
      complain(refused);
    }
  };
  return { edit, step };
}
