import { seek } from "../state/listening";
import { useBench } from "../state/store";
import { useSurvey } from "../state/useSurvey";
import { formatDb } from "../ui/format";

/** The song from section to section; a click on one plays from there. */
export function SectionFigures() {
  const rateHz = useBench((s) => s.song!.rate_hz);
  const survey = useSurvey();
  const rows = survey?.sections ?? [];
  if (survey?.state === "done" && rows.length === 0)
    return <p className="text-mute">No sections yet; the map proposes some.</p>;
  return (
    <table
      aria-label="Figures by section"
      className={`w-full text-left ${survey?.state === "done" ? "" : "stale"}`}
    >
      <thead className="cap">
        <tr>
          <th className="font-[500]">section</th>
          <th className="font-[500]">LUFS</th>
          <th className="font-[500]">loudest</th>
          <th className="font-[500]">range</th>
          <th className="font-[500]">peak</th>
          <th className="font-[500]">ceiling takes</th>
          <th className="font-[500]">side</th>
        </tr>
      </thead>
      <tbody>
        {rows.map((row) => (
          <tr key={row.id} className="border-t border-faint">
            <td className="py-[2px]">
              <button
                type="button"
                className="truncate hover:underline"
                title="Hear it from there"
                onClick={() => seek(row.start_s * rateHz)}
              >
                {row.name}
              </button>
            </td>
            <td className="font-[620]">{formatDb(row.integrated_lufs, false, "")}</td>
            <td>{formatDb(row.max_short_term_lufs, false, "")}</td>
            <td>{formatDb(row.loudness_range_lu, false, " LU")}</td>
            <td>{formatDb(row.true_peak_dbtp, false, "")}</td>
            <td className="text-copper">{formatDb(row.work_db, false)}</td>
            <td>{row.side_share === null ? "—" : `${Math.round(100 * row.side_share)} %`}</td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}
