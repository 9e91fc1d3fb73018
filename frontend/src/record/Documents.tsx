import type { RecordNow } from "../api/recordTypes";

const PAPERS = [
  ["sheet.html", "Delivery sheet · HTML"],
  ["sheet.pdf", "Delivery sheet · PDF"],
  ["figures.csv", "Figures · CSV"],
  ["hashes.sha256", "Hashes · SHA-256"],
] as const;

/** What goes with a delivery, to be handed on. */
export function Documents({ record, ready }: { record: RecordNow; ready: boolean }) {
  if (!ready) return <p className="text-mute">The documents are ready when all songs are analysed.</p>;
  return (
    <nav aria-label="Documents">
      <h2 className="pt-1 font-[660]">Documents</h2>
      <ul>
        {PAPERS.map(([name, words]) => (
          <li key={name}>
            <a className="hover:underline" href={`/api/records/${record.id}/papers/${name}`} download>
              {words}
            </a>
          </li>
        ))}
        <li className="pt-1">
          <a
            className="font-[640] text-rim hover:underline"
            href={`/api/records/${record.id}/delivered.zip`}
            download
          >
            All delivered files, documents and cue sheets · ZIP
          </a>
        </li>
      </ul>
    </nav>
  );
}
