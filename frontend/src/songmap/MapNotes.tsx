import { useQueryClient } from "@tanstack/react-query";
import { api } from "../api/client";
import { walk } from "../tree/tree";
import { seek, select } from "../state/listening";
import { useShape } from "../state/recipeShape";
import { useBench } from "../state/store";
import { useSurvey } from "../state/useSurvey";
import { FindingRow } from "../findings/FindingRow";
import { formatDb, formatTime } from "../ui/format";
import { stageTitle } from "./useMap";

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
          : findings.length
            ? `Findings ${findings.length}`
            : "Findings: none";
  return (
    <div className="overflow-y-auto border-l border-faint px-3 py-[5px]">
      <div className="cap mb-[2px] flex" role="status">
        <span className="truncate">{status}</span>
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
      <div className={busy ? "stale" : ""}>
        {findings.map((finding) => (
          <FindingRow key={finding.id} finding={finding} settled={!busy} />
        ))}
        {(survey?.dismissed ?? 0) > 0 && <Recall count={survey!.dismissed!} />}
        {hardest.length > 0 && <div className="cap mt-1">Gain reduction</div>}
        {hardest.map(({ stage, db, at_s }) => (
          <button
            key={stage.id}
            type="button"
            className="block w-full truncate text-left leading-[1.45] hover:bg-rim2"
            title="Go there"
            onClick={() => {
              select(stage.id);
              seek((at_s - 1) * song.rate_hz);
            }}
          >
            {stageTitle(recipe, stage)} <b className="font-[650] text-copper">{formatDb(db)}</b> at{" "}
            {formatTime(at_s)}
          </button>
        ))}
      </div>
      <Received />
    </div>
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

function Received() {
  const song = useBench((s) => s.song)!;
  const sources = Object.values(song.sources);
  const source = sources[0];
  if (!source) return null;
  return (
    <div className="mt-1">
      <div className="cap">received</div>
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
