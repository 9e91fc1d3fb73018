/** The record as a sound: mastered in the background, opened when all of it is there, opened anew after every edit. */
import { useQuery } from "@tanstack/react-query";
import { useEffect, useRef } from "react";
import { api } from "../api/client";
import type { RecordNow } from "../api/recordTypes";
import { heardSong } from "../state/listening";
import { playSound } from "../state/openSong";
import { useBench } from "../state/store";
import { playedFrame, recordFrame } from "./positions";
import type { Played } from "./positions";
import { useHearing } from "./useRecord";

const ASK_MS = 700;

export interface Playing {
  /** null until the songs are mastered */
  played: Played | null;
  progress: number;
  problem: string | null;
}

export function usePlayable(record: RecordNow | undefined): Playing {
  const { part, level } = useHearing();
  const { data, error } = useQuery({
    queryKey: ["playable", record?.id, record?.edit, record?.songs.length, part],
    queryFn: () => api.playable(record!.id, part),
    enabled: record !== undefined && record.songs.length > 0,
    refetchInterval: ({ state }) =>
      state.error || state.data?.state === "done" || state.data?.state === "failed" ? false : ASK_MS,
    retry: false,
    placeholderData: (before) => before,
  });
  const played = data?.state === "done" ? (data as unknown as Played) : null;
  const before = useRef<Played | null>(null);
  const { id, title } = record ?? { id: 0, title: "" };
  useEffect(() => {
    if (!played) return;
    const heard =
      before.current && useBench.getState().song?.id === 0 ? recordFrame(before.current, heardSong()) : 0;
    before.current = played;
    const at = playedFrame(played, heard) ?? 0;
    playSound(`/records/${id}/live?part=${part}&level=${level}`, { ...played, title }, at);
    // the title alone is no other sound
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [played, id, level]);
  return { played, progress: data?.progress ?? 0, problem: error?.message ?? data?.problem ?? null };
}
