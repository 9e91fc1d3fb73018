import { useQuery } from "@tanstack/react-query";
import { api } from "../api/client";

const ASK_MS = 1500;
const LOOK_MS = 5000;

/** What is being made for the library beside the server, in words; asked again while somebody may want to know. */
export function useBackgroundImport(enabled = true): string | null {
  const { data } = useQuery({
    queryKey: ["coming"],
    queryFn: api.coming,
    enabled,
    refetchInterval: ({ state }) => (state.data?.coming ? ASK_MS : LOOK_MS),
  });
  return data?.coming ?? null;
}
