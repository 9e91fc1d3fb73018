import { FindingRow } from "../findings/FindingRow";
import { useBench } from "../state/store";
import { useSurvey } from "../state/useSurvey";

/** What the survey found in the song, with what may be tried. */
export function SongFindings() {
  const survey = useSurvey();
  const saved = useBench((s) => s.saved === "saved");
  const settled = survey?.state === "done" && saved;
  const findings = survey?.findings ?? [];
  return (
    <div
      className={`min-h-0 overflow-y-auto ${settled ? "" : "stale"}`}
      aria-label="What was found"
      role="group"
    >
      <div className="cap pb-1">Findings</div>
      {findings.map((finding) => (
        <div key={finding.id} className="border-t border-faint py-[3px]">
          <FindingRow finding={finding} settled={settled} />
          {finding.fix && <span className="cap block truncate">{finding.fix}</span>}
        </div>
      ))}
      {settled && findings.length === 0 && <p className="text-mute">No findings.</p>}
    </div>
  );
}
