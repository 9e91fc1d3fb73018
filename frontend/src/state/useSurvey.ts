/** The survey of what was saved last, asked for until it is there; and what follows from it. */
import { useQuery } from "@tanstack/react-query";
import { useEffect } from "react";
import { api } from "../api/client";
import type { Matched, Survey } from "../api/types";
import { knowGains } from "./listening";
import { useDebounced } from "../ui/useDebounced";
import { useBench } from "./store";

export const MAP_COLUMNS = 930;
const ASK_MS = 250;
/** While edits follow each other, nothing is surveyed. */
const REST_MS = 700;

const lastDone = new Map<number, Survey>();

/** What is known of an older state is shown until the new one is there. */
async function askSurvey(songId: number): Promise<Survey> {
  const found = await api.survey(songId, MAP_COLUMNS);
  if (found.state === "done") lastDone.set(songId, found);
  return found.state === "done" ? found : { ...lastDone.get(songId), ...found };
}

export function useSurvey(): Survey | undefined {
  const songId = useBench((s) => s.song?.id ?? 0);
  const revision = useBench((s) => s.revision?.id ?? 0);
  const rested = useDebounced(revision, REST_MS);
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

/**
 * Keep the gains for equal loudness those of the passage that is heard: the loop, or the whole song; and the tempo that
 * of the song.
 */
export function useMatchedPassage(keyed: string[]): void {
  const song = useBench((s) => s.song);
  const revision = useBench((s) => s.revision?.id ?? 0);
  const other = useBench((s) => s.other);
  const loop = useBench((s) => s.loop);
  const saved = useBench((s) => s.saved);
  const survey = useSurvey();
  const settled = survey?.state === "done" && saved === "saved";
  // until its own is done, what is there may be another song's
  const found = survey?.state === "done" ? (survey.grid ?? null) : undefined;
  // most that ask for the tempo need not follow the survey's progress
  useEffect(() => {
    if (found !== undefined) useBench.setState({ foundGrid: found });
  }, [found, song?.id]);
  const [from, to] = loop ?? [0, song?.frames ?? 0];
  const others = [...new Set([...keyed, other])].filter((name) => name !== "now");
  const passage = ["match", song?.id, revision, from, to];
  const { data } = useQuery({
    queryKey: [...passage, others.join()],
    queryFn: () => api.match(song?.id ?? 0, others, from, to),
    enabled: settled && song !== null,
    refetchInterval: ({ state }) => (state.data && state.data.state !== "done" ? 2 * ASK_MS : false),
    staleTime: Infinity,
    // one more to compare with changes nothing for those that are known
    placeholderData: (before, query) =>
      query && passage.every((part, i) => part === query.queryKey[i]) ? before : undefined,
  });
  const matched = settled && data?.gains_db ? (data as Matched) : null;
  useEffect(() => knowGains(matched), [matched]);
}
