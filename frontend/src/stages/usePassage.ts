/** The passage that the pictures over time show, and what a stage reads along it. */
import { useQuery } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { api } from "../api/client";
import type { SurveySeries } from "../api/types";
import { useBench } from "../state/store";
import { useSurvey } from "../state/useSurvey";
import { heardNow } from "../state/useLiveReadings";

const WINDOW_S = 12;
export const SERIES_COLUMNS = 500;

/** The loop, or a stretch of 12 s that turns its page when the playhead leaves it. */
export function usePassage(): [number, number] {
  const loop = useBench((s) => s.loop);
  const song = useBench((s) => s.song)!;
  const width = Math.min(song.frames, WINDOW_S * song.rate_hz);
  const [page, setPage] = useState(0);
  useEffect(() => {
    const timer = setInterval(() => {
      const at = heardNow()?.song ?? song.view.song ?? 0;
      setPage(Math.floor(at / width));
    }, 150);
    return () => clearInterval(timer);
  }, [song, width]);
  if (loop) return loop;
  const from = Math.max(0, Math.min(page * width, song.frames - width));
  return [from, from + width];
}

export function useSeries(stage: string, [from, to]: [number, number]): SurveySeries | null {
  const song = useBench((s) => s.song)!;
  const revision = useBench((s) => s.revision?.id ?? 0);
  const survey = useSurvey();
  const { data } = useQuery({
    queryKey: ["series", song.id, revision, stage, from, to],
    queryFn: () => api.series(song.id, stage, from, to, SERIES_COLUMNS),
    enabled: survey?.state === "done",
    staleTime: Infinity,
    placeholderData: (before, query) => {
      const key = query?.queryKey;
      return key?.[3] === stage && key[4] === from && key[5] === to ? before : undefined;
    },
  });
  return data ?? null;
}
