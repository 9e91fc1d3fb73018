/** The survey of what was saved last, asked for until it is there; and what follows from it. */
import { useQuery } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { api } from "../api/client";
import type { Survey } from "../api/types";
import { setMatch, useBench } from "./store";

export const MAP_COLUMNS = 930;
const ASK_MS = 250;
const REST_MS = 700;

/** A number once it has stood for a moment: while edits follow each other, nothing is surveyed. */
function useRested(value: number): number {
  const [rested, setRested] = useState(value);
  useEffect(() => {
    const timer = setTimeout(() => setRested(value), REST_MS);
    return () => clearTimeout(timer);
  }, [value]);
  return rested;
}

export function useSurvey(): Survey | undefined {
  const songId = useBench((s) => s.song?.id ?? 0);
  const revision = useBench((s) => s.revision?.id ?? 0);
  const rested = useRested(revision);
  const { data, isPlaceholderData } = useQuery({
    queryKey: ["survey", songId, rested],
    queryFn: () => api.survey(songId, MAP_COLUMNS),
    enabled: songId > 0,
    refetchInterval: ({ state }) =>
      state.data?.state === "done" || state.data?.state === "failed" ? false : ASK_MS,
    staleTime: Infinity,
    placeholderData: (before) => before,
  });
  // what is known of an older state is shown, but as old
  return data && (isPlaceholderData || rested !== revision) ? { ...data, state: "waiting" } : data;
}

/** Keep the matched gains those of the passage that is heard: the loop, or the whole song. */
export function useMatchedPassage(): void {
  const song = useBench((s) => s.song);
  const revision = useBench((s) => s.revision?.id ?? 0);
  const loop = useBench((s) => s.loop);
  const saved = useBench((s) => s.saved);
  const survey = useSurvey();
  const done = survey?.state === "done" && saved === "saved";
  const [from, to] = loop ?? [0, song?.frames ?? 0];
  const { data, isPlaceholderData } = useQuery({
    queryKey: ["match", song?.id, revision, from, to],
    queryFn: () => api.match(song?.id ?? 0, from, to),
    enabled: done && song !== null,
    staleTime: Infinity,
  });
  const match = done && !isPlaceholderData ? (data ?? null) : null;
  useEffect(() => setMatch(match), [match]);
}
