/** The survey of what was saved last, asked for until it is there; and what follows from it. */
import { useQuery } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { api } from "../api/client";
import type { Match, Survey } from "../api/types";
import { forgetMatches, setMatch } from "./listening";
import { useBench } from "./store";

export const MAP_COLUMNS = 930;
const ASK_MS = 250;
const REST_MS = 700;

const lastDone = new Map<number, Survey>();

/** What is known of an older state is shown until the new one is there. */
async function askSurvey(songId: number): Promise<Survey> {
  const found = await api.survey(songId, MAP_COLUMNS);
  if (found.state === "done") lastDone.set(songId, found);
  return found.state === "done" ? found : { ...lastDone.get(songId), ...found };
}

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
    queryFn: () => askSurvey(songId),
    enabled: songId > 0,
    refetchInterval: ({ state }) =>
      state.data?.state === "done" || state.data?.state === "failed" || state.data?.state === "stopped"
        ? false
        : ASK_MS,
    staleTime: Infinity,
    placeholderData: (before) => before,
  });
  const old = isPlaceholderData || rested !== revision;
  return data?.state === "done" && old ? { ...data, state: "waiting", progress: 0 } : data;
}

/** The matched gains of now and another for the passage that is heard, once both were surveyed. */
function useMatch(other: string, wanted: boolean): void {
  const song = useBench((s) => s.song);
  const revision = useBench((s) => s.revision?.id ?? 0);
  const loop = useBench((s) => s.loop);
  const saved = useBench((s) => s.saved);
  const [from, to] = loop ?? [0, song?.frames ?? 0];
  const { data } = useQuery({
    queryKey: ["match", song?.id, revision, other, from, to],
    queryFn: () => api.match(song?.id ?? 0, other, from, to),
    enabled: wanted && song !== null && saved === "saved",
    refetchInterval: ({ state }) => (state.data && state.data.state !== "done" ? 2 * ASK_MS : false),
    staleTime: Infinity,
  });
  const match = wanted && saved === "saved" && data?.state === "done" ? (data as Match) : null;
  useEffect(() => setMatch(other, match), [other, match]);
  useEffect(() => forgetMatches, [revision]);
}

/** Keep the matched gains those of the passage that is heard: the loop, or the whole song. */
export function useMatchedPassage(): void {
  const other = useBench((s) => s.other);
  const survey = useSurvey();
  const done = survey?.state === "done";
  useMatch(other, done);
}
