import { useMutation, useQueries, useQueryClient } from "@tanstack/react-query";
import { useRef, useState } from "react";
import { api, upload } from "../api/client";
import type { Panel, Reference } from "../api/types";
import { compare, stopComparing, refreshOther } from "../state/listening";
import { settle } from "../state/saving";
import { complain, useBench } from "../state/store";
import { useCompareNames } from "../listening/useCompareNames";
import { FIGURES } from "./figures";
import { formatDb, formatTime } from "../ui/format";

/** Finished records beside the song: heard at equal loudness, measured in columns. */
export function References() {
  const song = useBench((s) => s.song)!;
  const { references } = useCompareNames();
  const client = useQueryClient();
  const chooser = useRef<HTMLInputElement>(null);
  const [sent, setSent] = useState<string | null>(null);
  const again = () => client.invalidateQueries({ queryKey: ["references"] });
  const remove = useMutation({ mutationFn: api.removeReference, onSettled: again });
  const panels = useQueries({
    queries: references.map((ref) => ({
      queryKey: ["panel", song.id, `reference:${ref.id}`, ref.start_frame, ref.end_frame],
      queryFn: () => api.panel(song.id, `reference:${ref.id}`, 0, song.frames),
      refetchInterval: ({ state }: { state: { data?: { state: string } | undefined } }) =>
        state.data?.state === "done" ? (false as const) : 500,
    })),
  });
  const suggest = async (ref: Reference) => {
    try {
      await settle();
      const version = await api.suggestTone(song.id, ref.id);
      await client.invalidateQueries({ queryKey: ["versions", song.id] });
      compare(`version:${version.id}`);
      useBench.setState({
        said: `“${version.name}” is a version now, heard at equal loudness. Key 2 is now.`,
      });
    } catch (refused) {
      complain(refused);
    }
  };
  const bring = async (files: FileList | null) => {
    for (const file of files ?? []) {
      setSent(file.name);
      try {
        await upload<Reference>(file, () => undefined, "references");
      } catch (refused) {
        complain(refused);
      }
    }
    setSent(null);
    void again();
  };
  const found = panels.map(({ data }) => (data?.state === "done" ? (data as Panel) : null));
  const mine = found.find(Boolean)?.after;
  return (
    <>
      <button type="button" className="strong" onClick={() => chooser.current?.click()}>
        {sent ? `Bringing ${sent} …` : "Bring a reference …"}
      </button>
      <input
        ref={chooser}
        type="file"
        multiple
        aria-label="Bring a reference"
        className="sr-only"
        tabIndex={-1}
        onChange={(event) => void bring(event.target.files)}
      />
      <table className="mt-4 w-full text-left" aria-label="References">
        <thead>
          <tr className="border-b border-line">
            <th className="py-1 font-[500] text-mute">whole song, or the passage</th>
            <th className="font-[640]">{song.title}, now</th>
            {references.map((ref) => (
              <th key={ref.id} className="font-[640]">
                {ref.name}
                <span className="flex gap-2 pt-1 pb-2 font-[500]">
                  <button type="button" className="plain" onClick={() => compare(`reference:${ref.id}`)}>
                    Hear
                  </button>
                  <button
                    type="button"
                    className="plain"
                    title="A few broad moves of at most 2 dB that go half the way, as a version"
                    onClick={() => void suggest(ref)}
                  >
                    Suggest a tone
                  </button>
                  <button
                    type="button"
                    className="plain"
                    aria-label={`Remove ${ref.name}`}
                    onClick={() => {
                      stopComparing(`reference:${ref.id}`);
                      remove.mutate(ref.id);
                    }}
                  >
                    ×
                  </button>
                </span>
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {FIGURES.map(([label, key, unit]) => (
            <tr key={key} className="border-b border-faint">
              <td className="py-1">{label}</td>
              <td>{formatDb(mine?.[key], false, unit)}</td>
              {found.map((panel, index) => (
                <td key={references[index]!.id}>{panel ? formatDb(panel.before[key], false, unit) : "…"}</td>
              ))}
            </tr>
          ))}
          <tr>
            <td className="py-1">side in the highs</td>
            <td>{mine ? `${(mine.ranges[3]!.side_share * 100).toFixed(0)} %` : "…"}</td>
            {found.map((panel, index) => (
              <td key={references[index]!.id}>
                {panel ? `${(panel.before.ranges[3]!.side_share * 100).toFixed(0)} %` : "…"}
              </td>
            ))}
          </tr>
          <tr className="align-top">
            <td className="py-2">passage</td>
            <td />
            {references.map((ref) => (
              <td key={ref.id} className="py-2">
                <PassageChooser
                  reference={ref}
                  onChosen={() => {
                    refreshOther(`reference:${ref.id}`);
                    void client.invalidateQueries({ queryKey: ["match"] });
                    return again();
                  }}
                />
              </td>
            ))}
          </tr>
        </tbody>
      </table>
      {references.length === 0 && (
        <p className="mt-4 text-mute">
          A reference is a finished record that you know well. It is compared at equal loudness, whole or the
          same range alone in both.
        </p>
      )}
    </>
  );
}

/** From when to when of the record; times are typed. */
function PassageChooser({ reference, onChosen }: { reference: Reference; onChosen: () => unknown }) {
  const { rate_hz: rate, frames } = reference.source;
  const [from, setFrom] = useState((reference.start_frame / rate).toFixed(1));
  const [to, setTo] = useState((reference.end_frame / rate).toFixed(1));
  const choose = () => {
    const start = Math.round(Number(from) * rate);
    const end = Math.min(frames, Math.round(Number(to) * rate));
    api.setPassage(reference.id, start, end).then(onChosen).catch(complain);
  };
  return (
    <form
      className="flex items-center gap-1"
      onSubmit={(event) => {
        event.preventDefault();
        choose();
      }}
    >
      {(
        [
          ["from, s", from, setFrom],
          ["to, s", to, setTo],
        ] as const
      ).map(([label, value, set]) => (
        <input
          key={label}
          aria-label={`${reference.name} ${label}`}
          className="w-[58px] border border-line bg-well px-1 text-right"
          value={value}
          onChange={(event) => set(event.target.value)}
        />
      ))}
      <button type="submit" className="plain">
        Use
      </button>
      <span className="cap">of {formatTime(frames / rate, 1)}</span>
    </form>
  );
}
