/** The versions and references that now may be compared with. */
import { useQuery } from "@tanstack/react-query";
import { api } from "../api/client";
import { walk } from "../tree/tree";
import type { Heard } from "../state/store";
import { kindInfo, useBench } from "../state/store";
import type { Named } from "./listeningText";
import { nameOf } from "./listeningText";

const NONE: never[] = [];

export function useCompareNames(): Named {
  const songId = useBench((s) => s.song?.id ?? 0);
  const { data: versions } = useQuery({
    queryKey: ["versions", songId],
    queryFn: () => api.versions(songId),
    enabled: songId > 0,
  });
  const { data: references } = useQuery({ queryKey: ["references"], queryFn: api.references });
  return { versions: versions ?? NONE, references: references ?? NONE };
}

export function stageTitles(): Record<string, string> {
  const { recipe } = useBench.getState();
  return Object.fromEntries(
    (recipe ? walk(recipe) : []).map((stage) => [stage.id, kindInfo(stage.kind)?.title ?? stage.kind]),
  );
}

/** What stands on the keys 1 to 9: received, now, versions, references. */
export function keyedOthers({ versions, references }: Named): Heard[] {
  return [
    "received",
    "now",
    ...versions.map(({ id }) => `version:${id}`),
    ...references.map(({ id }) => `reference:${id}`),
  ].slice(0, 9);
}

export function useHeardName(heard: Heard): string {
  return nameOf(heard, useCompareNames(), stageTitles());
}
