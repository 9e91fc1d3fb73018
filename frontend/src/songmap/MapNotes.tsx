import { useQueryClient } from "@tanstack/react-query";
import { Tabs } from "radix-ui";
import { useState } from "react";
import { api } from "../api/client";
import { walk } from "../tree/tree";
import { seek, select } from "../state/listening";
import { useShape } from "../state/recipeShape";
import { useBench } from "../state/store";
import { useSurvey } from "../state/useSurvey";
import { FindingRow } from "../findings/FindingRow";
import { formatDb, formatTime } from "../ui/format";
import { stageTitle } from "./useMap";

type Tab = "findings" | "gain" | "source";

/** What the survey found out, in words; a click goes there. */
export function MapNotes() {
  const song = useBench((s) => s.song)!;
  const recipe = useShape();
  const saved = useBench((s) => s.saved);
  const queries = useQueryClient();
  const survey = useSurvey();
  const busy = survey?.state !== "done" || saved !== "saved";
  const findings = survey?.findings ?? [];
  const hardest = walk(recipe).flatMap((stage) => {
    const found = survey?.hardest?.[stage.id];
    return found && found.db < -0.05 ? [{ stage, ...found }] : [];
  });
  const status =
    survey?.state === "failed"
      ? survey.problem
      : survey?.state === "stopped"
        ? "the survey was stopped"
        : busy
          ? `surveying the song · ${Math.round((survey?.progress ?? 0) * 100)} %`
          : "";
  const settled = survey?.state === "done";
  const [picked, setPicked] = useState<Tab | null>(null);
  // where the overview lists the findings, the panel says how hard the stages work
  const listed = useBench((s) => s.selected === null);
  const tab = picked ?? (listed ? "gain" : "findings");
  const tabs: [Tab, string][] = [
    ["findings", busy ? "Findings" : `Findings ${findings.length}`],
    ["gain", "Gain reduction"],
    ["source", "Source"],
  ];
  return (
    <Tabs.Root
      value={tab}
      onValueChange={(next) => setPicked(next as Tab)}
      className="grid min-h-0 grid-rows-[auto_auto_minmax(0,1fr)] border-l border-faint"
    >
      <Tabs.List aria-label="About the song" className="flex gap-[14px] border-b border-faint px-3">
        {tabs.map(([value, label]) => (
          <Tabs.Trigger
            key={value}
            value={value}
            className="-mb-px border-b-2 border-transparent pt-[7px] pb-[5px] whitespace-nowrap text-mute hover:text-ink data-[state=active]:border-rim data-[state=active]:font-[620] data-[state=active]:text-ink"
          >
            {label}
          </Tabs.Trigger>
        ))}
      </Tabs.List>
      <div className="cap flex px-3 pt-[3px] empty:hidden" role="status">
        {status && <span className="truncate">{status}</span>}
        {survey?.state === "failed" && (
          <button
            type="button"
            className="ml-auto shrink-0 hover:text-copper"
            onClick={() =>
              void api
                .surveyAgain(song.id)
                .then(() => queries.invalidateQueries({ queryKey: ["survey", song.id] }))
            }
          >
            try again
          </button>
        )}
        {busy && survey?.state === "running" && (
          <button
            type="button"
            className="ml-auto hover:text-copper"
            onClick={() => void api.stopSurvey(song.id)}
          >
            stop
          </button>
        )}
      </div>
      <Tabs.Content
        value={tab}
        tabIndex={-1}
        className={`overflow-y-auto px-3 py-[5px] ${busy ? "stale" : ""}`}
      >
        {tab === "findings" && (
          <>
            {findings.map((finding) => (
              <FindingRow key={finding.id} finding={finding} settled={!busy} />
            ))}
            {settled && findings.length === 0 && <p className="text-mute">No findings.</p>}
            {(survey?.dismissed ?? 0) > 0 && <Recall count={survey!.dismissed!} />}
          </>
        )}
        {tab === "gain" && (
          <>
            {hardest.map(({ stage, db, at_s }) => (
              <button
                key={stage.id}
                type="button"
                className="block w-full truncate py-[2px] text-left leading-[1.45] hover:bg-rim2"
                title="Go to the loudest moment"
                onClick={() => {
                  select(stage.id);
                  seek((at_s - 1) * song.rate_hz);
                }}
              >
                {stageTitle(recipe, stage)} <b className="font-[650] text-copper">{formatDb(db)}</b> at{" "}
                {formatTime(at_s)}
              </button>
            ))}
            {settled && hardest.length === 0 && <p className="text-mute">No stage turns anything down.</p>}
          </>
        )}
        {tab === "source" && <Source />}
      </Tabs.Content>
    </Tabs.Root>
  );
}

function Recall({ count }: { count: number }) {
  const song = useBench((s) => s.song)!;
  const client = useQueryClient();
  return (
    <button
      type="button"
      className="cap block hover:text-ink"
      onClick={() =>
        void api.recall(song.id).then(() => client.invalidateQueries({ queryKey: ["survey", song.id] }))
      }
    >
      {count} dismissed · show again
    </button>
  );
}

function Source() {
  const song = useBench((s) => s.song)!;
  const sources = Object.values(song.sources);
  const source = sources[0];
  if (!source) return null;
  return (
    <div>
      <div className="truncate" title={sources.map(({ name }) => name).join(", ")}>
        {sources.length > 1 ? `${sources.length} buses` : source.name}
      </div>
      <div className="cap">
        {source.rate_hz / 1000} kHz · {source.format.replace("PCM_", "").toLowerCase()} ·{" "}
        {formatTime(song.frames / song.rate_hz, 1)}
        {sources.some(({ channels }) => channels === 1) && " · mono, as two equal sides"}
      </div>
    </div>
  );
}
