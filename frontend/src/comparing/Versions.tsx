import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api } from "../api/client";
import type { Difference, Version } from "../api/types";
import { takeStage } from "../state/editing";
import { compare, stopComparing } from "../state/listening";
import { edit } from "../state/edits";
import { settle } from "../state/saving";
import { complain, useBench } from "../state/store";
import { useCompareNames } from "../listening/useCompareNames";
import { Choice } from "../ui/Choice";
import { withMinus, formatMoment } from "../ui/format";

/** Named states of the song: name one, hear it, see what differs, take it or a stage of it back. */
export function Versions() {
  const song = useBench((s) => s.song)!;
  const { versions } = useCompareNames();
  const [name, setName] = useState("");
  const [shown, setShown] = useState<number | null>(null);
  const client = useQueryClient();
  const again = () => client.invalidateQueries({ queryKey: ["versions", song.id] });
  const add = useMutation({
    mutationFn: async () => {
      await settle();
      return api.addVersion(song.id, name || `Version ${String.fromCharCode(65 + (versions.length % 26))}`);
    },
    onSuccess: () => {
      setName("");
      void again();
    },
    onError: complain,
  });
  const remove = useMutation({ mutationFn: api.removeVersion, onSettled: again });
  return (
    <>
      <form
        className="flex items-center gap-2"
        onSubmit={(event) => {
          event.preventDefault();
          add.mutate();
        }}
      >
        <label className="flex items-center gap-2">
          Name the present state
          <input
            className="w-[220px] border border-line bg-well px-2 py-[3px]"
            placeholder={`Version ${String.fromCharCode(65 + (versions.length % 26))}`}
            value={name}
            maxLength={80}
            onChange={(event) => setName(event.target.value)}
          />
        </label>
        <button type="submit" className="strong">
          Keep as a version
        </button>
      </form>
      {versions.length === 0 && (
        <p className="mt-4 text-mute">
          No version yet. A version is a named state: compare it with what you do next, at equal loudness.
        </p>
      )}
      <ul aria-label="Versions" className="mt-4 border-t border-line">
        {versions.map((version) => (
          <li key={version.id} className="border-b border-faint py-2">
            <div className="flex items-center gap-2">
              <b className="font-[640]">{version.name}</b>
              <span className="cap">{formatMoment(version.made_at)}</span>
              <span className="ml-auto" />
              <button type="button" className="plain" onClick={() => compare(`version:${version.id}`)}>
                Hear
              </button>
              <button
                type="button"
                className="plain"
                aria-expanded={shown === version.id}
                onClick={() => setShown(shown === version.id ? null : version.id)}
              >
                What differs
              </button>
              <button
                type="button"
                className="plain"
                onClick={() => {
                  edit(version.recipe, `Restore ${version.name}`, true);
                  compare("now");
                }}
              >
                Restore
              </button>
              <button
                type="button"
                className="plain"
                aria-label={`Forget ${version.name}`}
                onClick={() => {
                  stopComparing(`version:${version.id}`);
                  remove.mutate(version.id);
                }}
              >
                ×
              </button>
            </div>
            {shown === version.id && <Differences version={version} />}
          </li>
        ))}
      </ul>
    </>
  );
}

function shownValue(value: unknown): string {
  if (value === null || value === undefined) return "—";
  if (typeof value === "number") return withMinus(String(Number(value.toPrecision(4))));
  if (typeof value === "boolean") return value ? "on" : "off";
  return typeof value === "string" ? value : JSON.stringify(value);
}

/** From the version to now or another state, value by value; a whole stage may be taken over. */
function Differences({ version }: { version: Version }) {
  const revision = useBench((s) => s.revision?.id ?? 0);
  const { versions } = useCompareNames();
  const [against, setAgainst] = useState("now");
  const { data } = useQuery({
    queryKey: ["differences", version.id, against, revision],
    queryFn: () => api.differences(version.song_id, `version:${version.id}`, against),
  });
  const others = [
    { value: "now", label: "now" },
    { value: "received", label: "received" },
    ...versions
      .filter(({ id }) => id !== version.id)
      .map(({ id, name }) => ({ value: `version:${id}`, label: name })),
  ];
  const take = (row: Difference) => {
    const { recipe } = useBench.getState();
    if (recipe && row.stage)
      edit(takeStage(recipe, version.recipe, row.stage), `${row.title} of ${version.name}`, true);
  };
  return (
    <table className="mt-2 w-full text-left">
      <thead>
        <tr>
          <th className="cap font-[500]">stage</th>
          <th className="cap font-[500]">what</th>
          <th className="cap font-[500]">{version.name}</th>
          <th className="font-[500]">
            <Choice
              label={`Compare ${version.name} with`}
              value={against}
              options={others}
              onChange={setAgainst}
            />
          </th>
          <td />
        </tr>
      </thead>
      <tbody>
        {data?.length === 0 && (
          <tr>
            <td colSpan={5} className="pt-2 text-mute">
              Nothing differs.
            </td>
          </tr>
        )}
        {data?.map((row, index) => (
          <tr key={index} className="border-t border-faint">
            <td className="py-[3px]">{row.title}</td>
            <td>{row.what}</td>
            <td>{shownValue(row.before)}</td>
            <td>{shownValue(row.after)}</td>
            <td className="text-right">
              {against === "now" && row.stage && row.stage !== data[index - 1]?.stage && (
                <button
                  type="button"
                  className="font-[620] text-rim hover:underline"
                  onClick={() => take(row)}
                >
                  take this stage back
                </button>
              )}
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}
