import { DropdownMenu } from "radix-ui";
import { useEffect, useState } from "react";
import { create } from "zustand";
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { api } from "../api/client";
import type { Stage } from "../api/types";
import { busOf, laneOf, setParams } from "../bench/editing";
import { compare } from "../bench/listening";
import { edit, pretend, settle } from "../bench/edits";
import { complain, useBench } from "../bench/store";
import { useSurvey } from "../bench/useSurvey";
import { formatDb } from "../ui/format";
import { Segments } from "../ui/Segments";
import { Sheet } from "../ui/Sheet";
import { keepWork, useKeepWork } from "./keepWork";
import { usePassage, useSeries } from "./usePassage";

/** What the left picture shows: the static curve, or what the detector listens through. */
export const useCompressorPicture = create<{ shows: "curve" | "detector" }>(() => ({ shows: "curve" }));
const PICTURES = [
  { value: "curve", label: "curve" },
  { value: "detector", label: "detector" },
] as const;

export type CompressorStage = Extract<Stage, { kind: "compressor" }>;

/** Starting points, work held constant, exaggeration, makeup by loudness: what is done with a compressor as a whole. */
export function CompressorTools({ stage }: { stage: CompressorStage }) {
  const song = useBench((s) => s.song)!;
  const keeps = useKeepWork((s) => s.on);
  const shows = useCompressorPicture((s) => s.shows);
  const survey = useSurvey();
  useExaggeration(stage);
  const change = (values: Parameters<typeof setParams>[2], label: string) => {
    const { recipe } = useBench.getState();
    if (recipe) edit(setParams(recipe, stage.id, values), `Bus compressor: ${label}`, true);
  };
  const match = async () => {
    try {
      await settle();
      // how much louder or quieter the song is with the stage than without it
      const { gain_db: gain } = await api.makeup(song.id, stage.id);
      const makeup = Math.max(-24, Math.min(24, Math.round((stage.params.makeup_db + gain) * 10) / 10));
      change({ makeup_db: makeup }, `makeup ${formatDb(makeup, true)}, matched`);
      compare("now");
    } catch (refused) {
      complain(refused);
    }
  };
  return (
    <div className="flex items-center gap-2">
      <Segments
        label="Picture"
        value={shows}
        options={PICTURES}
        onChange={(next) => useCompressorPicture.setState({ shows: next })}
      />
      <StartingPoints stage={stage} change={change} />
      <Keys stage={stage} change={change} />
      <button
        type="button"
        className="plain whitespace-nowrap"
        title="Sets the makeup so that the song is as loud with the stage as without it"
        disabled={survey?.state !== "done"}
        onClick={() => void match()}
      >
        match makeup
      </button>
      <button
        type="button"
        aria-pressed={keeps}
        title="While attack, ratio or knee move, the threshold follows so that it takes off as much on average"
        className={`plain whitespace-nowrap ${keeps ? "border-rim! bg-rim! text-on-rim" : ""}`}
        onClick={() => keepWork(!keeps)}
      >
        same work
      </button>
      <Work stage={stage} />
    </div>
  );
}

/** How often how much: what the stage does over the song, or over the loop, in words. */
function Work({ stage }: { stage: CompressorStage }) {
  const survey = useSurvey();
  const loop = useBench((s) => s.loop);
  const series = useSeries(stage.id, usePassage());
  const words = loop ? series?.words : survey?.work?.[stage.id];
  if (!words) return null;
  return (
    <span className={`truncate ${survey?.state === "done" ? "" : "opacity-50"}`} title={words}>
      {words}
    </span>
  );
}

interface Props {
  stage: CompressorStage;
  change: (values: Parameters<typeof setParams>[2], label: string) => void;
}

function StartingPoints({ stage, change }: Props) {
  const { data } = useQuery({ queryKey: ["starts"], queryFn: api.startingPoints, staleTime: Infinity });
  const client = useQueryClient();
  const [naming, setNaming] = useState(false);
  const keep = (name: string) => {
    setNaming(false);
    api
      .keepStartingPoint(name, stage)
      .then(() => client.invalidateQueries({ queryKey: ["starts"] }))
      .catch(complain);
  };
  return (
    <DropdownMenu.Root>
      <DropdownMenu.Trigger className="plain whitespace-nowrap">start from ▾</DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content className="menu" align="end" sideOffset={4}>
          {(data ?? []).map((start) => (
            <DropdownMenu.Item
              key={start.name}
              onSelect={() => change(start.params, start.title.toLowerCase())}
            >
              <b className="font-[640]">{start.title}</b>
              <span className="block max-w-[280px] text-[11px] text-mute">{start.says}</span>
            </DropdownMenu.Item>
          ))}
          <DropdownMenu.Separator className="my-1 h-px bg-line" />
          <DropdownMenu.Item onSelect={() => setNaming(true)}>
            Keep this setting as a starting point …
          </DropdownMenu.Item>
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
      <Sheet title="Keep as a starting point" open={naming} onOpenChange={setNaming}>
        <form
          className="mt-4 flex items-center gap-2"
          onSubmit={(event) => {
            event.preventDefault();
            const name = new FormData(event.currentTarget).get("name");
            if (typeof name === "string" && name.trim()) keep(name.trim());
          }}
        >
          <label className="flex flex-1 items-center gap-2">
            Name
            <input
              name="name"
              autoFocus
              maxLength={80}
              className="flex-1 border border-line bg-well px-2 py-[3px]"
            />
          </label>
          <button type="submit" className="strong">
            Keep
          </button>
        </form>
      </Sheet>
    </DropdownMenu.Root>
  );
}

/** Which buses the detector listens to. */
function Keys({ stage, change }: Props) {
  const recipe = useBench((s) => s.recipe)!;
  const own = laneOf(recipe, stage.id);
  const lanes = [...recipe.buses, ...recipe.groups].filter(({ id }) => id !== own);
  if (recipe.buses.length < 2) return null;
  const keys = stage.params.key ?? [];
  const named = keys.map((id) => busOf(recipe, id)?.name || id).join(" + ");
  return (
    <DropdownMenu.Root>
      <DropdownMenu.Trigger
        className={`plain max-w-[130px] truncate whitespace-nowrap ${keys.length ? "border-copper! text-copper" : ""}`}
        title="Listens to other buses instead of its own input"
      >
        {keys.length ? `key: ${named}` : "key ▾"}
      </DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content className="menu" align="end" sideOffset={4}>
          {lanes.map(({ id, name }) => (
            <DropdownMenu.CheckboxItem
              key={id}
              checked={keys.includes(id)}
              onSelect={(event) => event.preventDefault()}
              onCheckedChange={(on) => {
                const next = on ? [...keys, id] : keys.filter((one) => one !== id);
                change({ key: next.length ? next : null }, `key ${next.join(" + ") || "its own input"}`);
              }}
            >
              {keys.includes(id) ? "✓ " : "   "}
              {name || id}
            </DropdownMenu.CheckboxItem>
          ))}
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  );
}

const EXTRA_DB = 12;
const EXTRA_RATIO = 4;

/** While X is held the compressor works far too hard, to hear attack and release; then it is exactly as it was. */
function useExaggeration(stage: CompressorStage): void {
  useEffect(() => {
    const down = (event: KeyboardEvent) => {
      if (event.key !== "x" || event.repeat || event.ctrlKey || event.metaKey) return;
      if (event.target instanceof HTMLInputElement) return;
      const { recipe } = useBench.getState();
      const { threshold_db: threshold, ratio } = stage.params;
      const far = {
        threshold_db: Math.max(-60, threshold - EXTRA_DB),
        ratio: Math.min(100, ratio * EXTRA_RATIO),
      };
      if (recipe) pretend(setParams(recipe, stage.id, far));
      useBench.setState({ said: "Exaggerated while X is held: listen to how it takes hold and lets go." });
    };
    const up = (event: KeyboardEvent) => {
      if (event.key !== "x") return;
      pretend(null);
      useBench.setState({ said: null });
    };
    window.addEventListener("keydown", down);
    window.addEventListener("keyup", up);
    return () => {
      window.removeEventListener("keydown", down);
      window.removeEventListener("keyup", up);
    };
  }, [stage]);
}
