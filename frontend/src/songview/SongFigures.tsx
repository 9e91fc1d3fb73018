import { useQuery } from "@tanstack/react-query";
import { api } from "../api/client";
import type { Panel } from "../api/types";
import { useBench } from "../state/store";
import { FIGURES } from "../comparing/figures";
import { formatDb } from "../ui/format";

/** The song's figures as received and as mastered. */
export function SongFigures() {
  const song = useBench((s) => s.song)!;
  const revision = useBench((s) => s.revision?.id ?? 0);
  const saved = useBench((s) => s.saved === "saved");
  const { data } = useQuery({
    queryKey: ["panel", song.id, revision, "received", 0, song.frames],
    queryFn: () => api.panel(song.id, "received", 0, song.frames),
    refetchInterval: ({ state }) => (state.data?.state === "done" ? false : 400),
  });
  const panel = data?.state === "done" ? (data as Panel) : null;
  return (
    <table aria-label="Figures of the song" className={`w-full text-left ${panel && saved ? "" : "stale"}`}>
      <thead className="cap">
        <tr>
          <th className="font-[500]">whole song</th>
          <th className="font-[500]">received</th>
          <th className="font-[500]">now</th>
        </tr>
      </thead>
      <tbody>
        {FIGURES.map(([label, key, unit]) => (
          <tr key={key} className="border-t border-faint">
            <td className="py-[2px]">{label}</td>
            <td>{formatDb(panel?.before[key], false, unit)}</td>
            <td className="font-[620]">{formatDb(panel?.after[key], false, unit)}</td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}
