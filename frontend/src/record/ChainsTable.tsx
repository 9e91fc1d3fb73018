import { useState } from "react";
import type { RecordHeard, RecordNow } from "../api/recordTypes";
import { Sheet } from "../ui/Sheet";

interface Props {
  record: RecordNow;
  heard: RecordHeard | undefined;
}

/** What every song's chain does, stage beside stage of the same kind. */
export function ChainsTable({ record, heard }: Props) {
  const [open, setOpen] = useState(false);
  const chains = heard?.chains ?? {};
  const kinds = [
    ...new Map(Object.values(chains).flatMap((chain) => chain.map(({ kind, title }) => [kind, title]))),
  ];
  return (
    <Sheet
      title="The same stage, song by song"
      wide
      open={open}
      onOpenChange={setOpen}
      trigger={
        <button type="button" className="plain">
          compare chains …
        </button>
      }
    >
      <table className="mt-3 w-full table-fixed text-left">
        <thead className="cap">
          <tr>
            <th className="w-[130px] font-[500]">stage</th>
            {record.songs.map(({ id, title }, i) => (
              <th key={id} className="font-[500]">
                {i + 1} {title}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {kinds.map(([kind, title]) => (
            <tr key={kind} className="border-t border-faint align-top">
              <td className="py-1 font-[640]">{title}</td>
              {record.songs.map(({ id }) => {
                const own = (chains[id] ?? []).filter((stage) => stage.kind === kind);
                return (
                  <td key={id} className="py-1 pr-2">
                    {own.length ? (
                      own.map(({ summary }, n) => <p key={n}>{summary}</p>)
                    ) : (
                      <span className="text-mute">—</span>
                    )}
                  </td>
                );
              })}
            </tr>
          ))}
        </tbody>
      </table>
    </Sheet>
  );
}
