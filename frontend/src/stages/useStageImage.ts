/** The stereo image of the passage before and after a stage, asked for when edits rest. */
import { useQuery } from "@tanstack/react-query";
import { api } from "../api/client";
import type { StageImage } from "../api/types";
import { useBench } from "../state/store";
import { useSurvey } from "../state/useSurvey";
import { useDebounced } from "../ui/useDebounced";
import { usePassage } from "./usePassage";

const REST_MS = 400;

export function useStageImage(stage: string): { image: StageImage | null; settled: boolean } {
  const song = useBench((s) => s.song!.id);
  const revision = useBench((s) => s.revision?.id ?? 0);
  const rested = useDebounced(revision, REST_MS);
  const surveyed = useSurvey()?.state === "done";
  const [from, to] = usePassage();
  const { data, isPlaceholderData } = useQuery({
    // what mono loses of the song is there when its survey is
    queryKey: ["image", song, stage, rested, from, to, surveyed],
    queryFn: () => api.image(song, stage, from, to),
    staleTime: Infinity,
    placeholderData: (before, query) =>
      query?.queryKey[1] === song && query.queryKey[2] === stage ? before : undefined,
  });
  return { image: data ?? null, settled: !isPlaceholderData && rested === revision };
}
