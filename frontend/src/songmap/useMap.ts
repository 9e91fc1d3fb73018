/** What the song map shows in the present view: waveforms, rows and, at sample zoom, the very samples. */
import { useQuery } from "@tanstack/react-query";
import { useMemo } from "react";
import { api } from "../api/client";
import type { MapRows, Recipe, Stage } from "../api/types";
import { busOf, laneOf } from "../state/editing";
import { homeOf, MASTER, splitOf, walk } from "../tree/tree";
import { useShape } from "../state/recipeShape";
import type { Span } from "../state/store";
import { kindInfo, useBench } from "../state/store";
import { MAP_COLUMNS, useSurvey } from "../state/useSurvey";
import { useDebounced } from "../ui/useDebounced";
import { covers } from "./geometry";
import type { Row, Wave } from "./drawing";

export const EXTRA_ROWS = [
  { value: "loudness", label: "loudness" },
  { value: "peaks", label: "true peaks" },
  { value: "correlation", label: "correlation" },
  { value: "lows", label: "correlation of the lows" },
  { value: "buses", label: "a row a bus" },
] as const;
export type ExtraRow = (typeof EXTRA_ROWS)[number]["value"];
const SCOPE_FRAMES = 4096;
/** While the wheel turns, what is there is drawn larger or smaller; the finer picture follows. */
const REST_MS = 80;

/** What a stage is called where those of all buses and branches stand together. */
export function stageTitle(recipe: Recipe, stage: Stage): string {
  const lane = laneOf(recipe, stage.id);
  const title = kindInfo(stage.kind)?.title ?? stage.kind;
  const home = homeOf(recipe, stage.id) ?? MASTER;
  const branch = splitOf(recipe, home)?.params.branches.find(({ id }) => id === home);
  const within = [
    ...(lane === MASTER ? [] : [busOf(recipe, lane)?.name || lane]),
    ...(branch ? [branch.name || branch.id] : []),
  ];
  return [...within, title].join(" · ");
}

export function useView(): Span {
  const frames = useBench((s) => s.song!.frames);
  const view = useBench((s) => s.view);
  return useMemo(() => view ?? [0, frames], [view, frames]);
}

export function useMap(extra: readonly ExtraRow[]) {
  const song = useBench((s) => s.song)!;
  const recipe = useShape();
  const revision = useBench((s) => s.revision?.id ?? 0);
  const zoomedIn = useBench((s) => s.view) !== null;
  const survey = useSurvey();
  const view = useView();
  const rested = useDebounced(view, REST_MS);
  const [from, to] = rested;
  const source = Object.values(song.sources)
    .map(({ sha256 }) => sha256)
    .join();
  const waveform = (start: number, end: number) => ({
    queryKey: ["waveform", song.id, source, start, end],
    queryFn: async (): Promise<Wave> => ({
      columns: await api.waveform(song.id, start, end, MAP_COLUMNS),
      span: [start, end],
    }),
    staleTime: Infinity,
  });
  const { data: whole } = useQuery(waveform(0, song.frames));
  const { data: fine } = useQuery({
    ...waveform(from, to),
    placeholderData: (before, query) => (query?.queryKey[1] === song.id ? before : undefined),
  });
  const { data: tile } = useQuery({
    queryKey: ["maprows", song.id, revision, from, to],
    queryFn: async () => {
      const found = await api.mapRows(song.id, from, to, MAP_COLUMNS);
      return found && { ...found, span: [from, to] as Span };
    },
    enabled: zoomedIn && survey?.state === "done",
    staleTime: Infinity,
    placeholderData: (before, query) =>
      query?.queryKey[1] === song.id && query.queryKey[2] === revision ? before : undefined,
  });
  const { data: scope } = useQuery({
    queryKey: ["scope", song.id, revision, from, to],
    queryFn: () => api.scope(song.id, from, to),
    enabled: to - from <= SCOPE_FRAMES,
    staleTime: Infinity,
  });
  const wantBuses = extra.includes("buses") && recipe.buses.length > 1;
  const { data: buses } = useQuery({
    queryKey: ["buswaves", song.id, source, from, to],
    queryFn: async () => ({
      waves: await Promise.all(
        recipe.buses.map((bus) => api.waveform(song.id, from, to, MAP_COLUMNS, bus.id)),
      ),
      span: [from, to] as Span,
    }),
    enabled: wantBuses,
    staleTime: Infinity,
    placeholderData: (before, query) => (query?.queryKey[1] === song.id ? before : undefined),
  });
  // until the finer picture is there, what covers the view is drawn where it belongs
  const near = zoomedIn && tile && covers(tile.span, view) ? tile : null;
  const shown: Partial<MapRows> | undefined = near ?? survey;
  const span: Span = near?.span ?? [0, song.frames];
  const rows: Row[] = walk(recipe)
    .filter((stage) => stage.on && kindInfo(stage.kind)?.dynamic)
    .map((stage) => ({
      title: stageTitle(recipe, stage),
      kind: "effort",
      values: shown?.effort?.[stage.id],
      span,
    }));
  if (extra.includes("loudness"))
    rows.push({ title: "Loudness", kind: "loudness", values: shown?.momentary_lufs, span });
  if (extra.includes("peaks")) rows.push({ title: "True peaks", kind: "peaks", values: shown?.peaks, span });
  if (extra.includes("correlation"))
    rows.push({ title: "Correlation", kind: "correlation", values: shown?.correlation, span });
  if (extra.includes("lows"))
    rows.push({ title: "… of the lows", kind: "correlation", values: shown?.low_correlation, span });
  if (wantBuses)
    recipe.buses.forEach((bus, index) => {
      const wave = buses?.waves[index];
      const values = wave?.[0].map((low, i) => Math.max(Math.abs(low), Math.abs(wave[1][i] ?? 0)));
      rows.push({ title: bus.name || bus.id, kind: "wave", values, span: buses?.span ?? span });
    });
  const summed = recipe.buses.length > 1 ? shown?.received_wave : undefined;
  return {
    survey,
    // what several buses sum to is only known once it was surveyed
    received: summed ? { columns: summed, span } : fine && covers(fine.span, view) ? fine : whole,
    mastered: shown?.mastered && { columns: shown.mastered, span },
    rows,
    scope: rested === view && to - from <= SCOPE_FRAMES ? scope : undefined,
  };
}
