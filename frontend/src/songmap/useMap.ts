/** What the song map shows in the present view: waveforms, rows and, at sample zoom, the very samples. */
import { useQuery } from "@tanstack/react-query";
import { api } from "../api/client";
import type { MapRows, Recipe, Stage } from "../api/types";
import { allStages, busOf, laneOf, MASTER } from "../bench/editing";
import { useShape } from "../bench/shape";
import type { Span } from "../bench/store";
import { kindInfo, useBench } from "../bench/store";
import { MAP_COLUMNS, useSurvey } from "../bench/useSurvey";
import type { Row } from "./drawing";

export const EXTRA_ROWS = [
  { value: "loudness", label: "loudness" },
  { value: "peaks", label: "true peaks" },
  { value: "correlation", label: "correlation" },
  { value: "lows", label: "correlation of the lows" },
  { value: "buses", label: "a row a bus" },
] as const;
export type ExtraRow = (typeof EXTRA_ROWS)[number]["value"];
const SCOPE_FRAMES = 4096;

/** What a stage is called where those of all buses stand together. */
export function stageTitle(recipe: Recipe, stage: Stage): string {
  const lane = laneOf(recipe, stage.id);
  const title = kindInfo(stage.kind)?.title ?? stage.kind;
  return lane === MASTER ? title : `${busOf(recipe, lane)?.name || lane} · ${title}`;
}

export function useView(): Span {
  const frames = useBench((s) => s.song!.frames);
  return useBench((s) => s.view) ?? [0, frames];
}

export function useMap(extra: readonly ExtraRow[]) {
  const song = useBench((s) => s.song)!;
  const recipe = useShape();
  const revision = useBench((s) => s.revision?.id ?? 0);
  const zoomedIn = useBench((s) => s.view) !== null;
  const survey = useSurvey();
  const [from, to] = useView();
  const source = Object.values(song.sources)
    .map(({ sha256 }) => sha256)
    .join();
  const { data: received } = useQuery({
    queryKey: ["waveform", song.id, source, from, to],
    queryFn: () => api.waveform(song.id, from, to, MAP_COLUMNS),
    staleTime: Infinity,
    placeholderData: (before, query) => (query?.queryKey[1] === song.id ? before : undefined),
  });
  const { data: tile } = useQuery({
    queryKey: ["maprows", song.id, revision, from, to],
    queryFn: () => api.mapRows(song.id, from, to, MAP_COLUMNS),
    enabled: zoomedIn && survey?.state === "done",
    staleTime: Infinity,
  });
  const { data: scope } = useQuery({
    queryKey: ["scope", song.id, revision, from, to],
    queryFn: () => api.scope(song.id, from, to),
    enabled: to - from <= SCOPE_FRAMES,
    staleTime: Infinity,
  });
  const wantBuses = extra.includes("buses") && recipe.buses.length > 1;
  const { data: waves } = useQuery({
    queryKey: ["buswaves", song.id, source, from, to],
    queryFn: () =>
      Promise.all(recipe.buses.map((bus) => api.waveform(song.id, from, to, MAP_COLUMNS, bus.id))),
    enabled: wantBuses,
    staleTime: Infinity,
  });
  const shown: Partial<MapRows> | undefined = zoomedIn ? (tile ?? undefined) : survey;
  const rows: Row[] = allStages(recipe)
    .filter((stage) => stage.on && kindInfo(stage.kind)?.dynamic)
    .map((stage) => ({
      title: stageTitle(recipe, stage),
      kind: "effort",
      values: shown?.effort?.[stage.id],
    }));
  if (extra.includes("loudness"))
    rows.push({ title: "Loudness", kind: "loudness", values: shown?.momentary_lufs });
  if (extra.includes("peaks")) rows.push({ title: "True peaks", kind: "peaks", values: shown?.peaks });
  if (extra.includes("correlation"))
    rows.push({ title: "Correlation", kind: "correlation", values: shown?.correlation });
  if (extra.includes("lows"))
    rows.push({ title: "… of the lows", kind: "correlation", values: shown?.low_correlation });
  if (wantBuses)
    recipe.buses.forEach((bus, index) => {
      const wave = waves?.[index];
      const values = wave?.[0].map((low, i) => Math.max(Math.abs(low), Math.abs(wave[1][i] ?? 0)));
      rows.push({ title: bus.name || bus.id, kind: "wave", values });
    });
  return {
    survey,
    // what several buses sum to is only known once it was surveyed
    received: (recipe.buses.length > 1 ? shown?.received_wave : undefined) ?? received,
    mastered: shown?.mastered,
    rows,
    scope: to - from <= SCOPE_FRAMES ? scope : undefined,
  };
}
