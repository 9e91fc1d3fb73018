/** What pushing a stage wins, tried in the background when edits rest. */
import { useQuery } from "@tanstack/react-query";
import { api } from "../api/client";
import type { Tried, Won } from "../api/trialTypes";
import { useBench } from "../state/store";
import { useDebounced } from "../ui/useDebounced";

const ASK_MS = 400;
const REST_MS = 900;

export function useLoudnessGained(stage: string, enabled: boolean): Partial<Tried<Won>> {
  const song = useBench((s) => s.song!.id);
  const revision = useDebounced(
    useBench((s) => s.revision?.id ?? 0),
    REST_MS,
  );
  const { data, error } = useQuery({
    queryKey: ["won", song, stage, revision],
    queryFn: () => api.won(song, stage),
    enabled,
    refetchInterval: ({ state }) =>
      state.error || state.data?.state === "done" || state.data?.state === "failed" ? false : ASK_MS,
    retry: false,
    staleTime: Infinity,
    placeholderData: (before) => before,
  });
  return error ? { ...data, problem: error.message } : (data ?? {});
}
