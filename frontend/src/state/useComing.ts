import { useQuery } from "@tanstack/react-query";
import { api } from "../api/client";

const ASK_MS = 1500;

/** What is being made for the library beside the server, in words; asked again until nothing is. */
export function useComing(enabled = true): string | null {
  const { data } = useQuery({
    queryKey: ["coming"],
    queryFn: api.coming,
    enabled,
    refetchInterval: ({ state }) => (state.data?.coming ? ASK_MS : false),
  });
  return data?.coming ?? null;
}
