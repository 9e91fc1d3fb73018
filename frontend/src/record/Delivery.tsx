import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useRef, useState } from "react";
import { api } from "../api/client";
import type { Delivered, KeptSpec, RecordNow, Spec } from "../api/recordTypes";
import { complain } from "../state/store";
import { FileChooser } from "../ui/FileChooser";
import { formatMoment } from "../ui/format";

const ASK_MS = 500;
const SHOWN_HASH = 6;
const FILES = { songs: "", gapless: "gapless songs", whole: "one file with cues" };
const keyOf = (song: number | null, spec: string) => `${song} ${spec}`;

/** What a spec asks for, in words. */
export function specWords({
  container,
  rate_hz,
  bits,
  kbit_s,
  dither,
  ceiling_dbtp,
  loudness,
  files,
  tail,
}: Spec): string {
  return [
    FILES[files],
    container.toUpperCase(),
    rate_hz === null ? "the song's rate" : `${rate_hz / 1000} kHz`,
    bits === null ? (kbit_s ? `${kbit_s} kbit/s` : "") : bits === "32f" ? "32 bit float" : `${bits} bit`,
    dither && dither !== "none" ? `${dither} dither` : "",
    ceiling_dbtp === null ? "" : `at most ${String(ceiling_dbtp).replace("-", "−")} dBTP`,
    tail === "none" ? "" : tail === "auto" ? "with its tail" : `${tail} s tail`,
    loudness ? `${String(loudness.integrated_lufs).replace("-", "−")} LUFS ± ${loudness.tolerance_lu}` : "",
  ]
    .filter(Boolean)
    .join(" · ");
}

/** What a spec makes files of: every song, or the record as a whole. */
function partsOf({ files }: Spec, { songs }: RecordNow): { song: number | null; title: string }[] {
  if (files === "whole") return [{ song: null, title: "The whole record" }];
  return songs.map(({ id, title }) => ({ song: id, title }));
}

/** Songs by specs: what is delivered and passed, what is not, what was changed since, what is to be made. */
export function Delivery({ record }: { record: RecordNow }) {
  const client = useQueryClient();
  const chooser = useRef<HTMLInputElement>(null);
  const [ticked, setTicked] = useState<Record<string, boolean>>({});
  const { data: specs = [] } = useQuery({ queryKey: ["specs"], queryFn: api.specs });
  const { data: rows = [] } = useQuery({
    queryKey: ["deliveries", record.id, record.edit],
    queryFn: () => api.deliveries(record.id),
    refetchInterval: ({ state }) => (state.data?.some((row) => row.state === "running") ? ASK_MS : 5000),
    placeholderData: (before) => before,
  });
  const found = new Map(rows.map((row) => [keyOf(row.song_id, row.spec), row]));
  const running = rows.some(({ state }) => state === "running");
  const cells = specs.flatMap(({ spec }) =>
    partsOf(spec, record).map(({ song }) => ({ song, spec: spec.name })),
  );
  const wanted = cells.filter(({ song, spec }) => ticked[keyOf(song, spec)]);
  const take = (next: Delivered[]) => {
    client.setQueryData(["deliveries", record.id, record.edit], next);
  };
  const deliver = () => {
    api
      .deliver(record.id, wanted)
      .then((next) => {
        setTicked({});
        take(next);
      })
      .catch(complain);
  };
  const tick = (keys: string[], on: boolean) =>
    setTicked({ ...ticked, ...Object.fromEntries(keys.map((key) => [key, on])) });
  const bring = async (file: File) => {
    try {
      client.setQueryData(["specs"], await api.keepSpec(JSON.parse(await file.text()) as unknown));
    } catch (refused) {
      complain(refused instanceof SyntaxError ? `${file.name} is no JSON; a spec is a JSON file` : refused);
    }
  };
  return (
    <section aria-label="Delivery" className="min-h-0 overflow-y-auto border-t-2 border-line pt-1 pb-2">
      <div className="flex items-center gap-2 pb-1">
        <h2 className="font-[660]">Delivery</h2>
        <button type="button" className="strong" disabled={!wanted.length} onClick={deliver}>
          Deliver selected: {wanted.length} {wanted.length === 1 ? "file" : "files"}
        </button>
        {running && (
          <button
            type="button"
            className="plain"
            onClick={() => void api.stopDeliveries(record.id).then(take).catch(complain)}
          >
            stop
          </button>
        )}
        <button type="button" className="plain" onClick={() => chooser.current?.click()}>
          add a spec …
        </button>
        <span className="cap truncate">
          each is measured after it is written, checked, and listed with its hash
        </span>
      </div>
      <FileChooser
        chooser={chooser}
        label="Add a spec"
        accept=".json,application/json"
        onFiles={([file]) => file && void bring(file)}
      />
      <table aria-label="Songs by specs" className="w-full table-fixed text-left">
        <thead className="cap">
          <tr>
            <th className="w-[190px] font-[500] max-[1100px]:w-[150px]">spec</th>
            {record.songs.map(({ id, title }, i) => (
              <th key={id} className="truncate font-[500]">
                {i + 1} {title}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {specs.map((kept) => {
            const { name } = kept.spec;
            const parts = partsOf(kept.spec, record);
            const keys = parts.map(({ song }) => keyOf(song, name));
            return (
              <tr key={name} className="border-t border-faint align-top">
                <SpecHead kept={kept} all={keys.every((key) => ticked[key])} onAll={(on) => tick(keys, on)} />
                {parts.map(({ song, title }) => (
                  <td key={song} colSpan={record.songs.length / parts.length} className="py-1 pr-2">
                    <Cell
                      label={`${title} by ${name}`}
                      row={found.get(keyOf(song, name))}
                      ticked={ticked[keyOf(song, name)] ?? false}
                      onTick={(on) => tick([keyOf(song, name)], on)}
                    />
                  </td>
                ))}
              </tr>
            );
          })}
        </tbody>
      </table>
    </section>
  );
}

function SpecHead({ kept, all, onAll }: { kept: KeptSpec; all: boolean; onAll: (on: boolean) => void }) {
  const client = useQueryClient();
  const { spec, own } = kept;
  return (
    <th scope="row" className="py-1 pr-2 font-[400]">
      <label className="flex items-center gap-1 font-[640]">
        <input
          type="checkbox"
          aria-label={`All by ${spec.name}`}
          checked={all}
          onChange={({ target }) => onAll(target.checked)}
        />
        {spec.name}
      </label>
      <span className="cap">
        {specWords(spec)} ·{" "}
        <a
          className="hover:underline"
          download={`${spec.name}.json`}
          href={`data:application/json,${encodeURIComponent(JSON.stringify(spec, null, 2))}`}
        >
          as a file
        </a>
        {own && (
          <button
            type="button"
            className="pl-2 hover:text-copper"
            onClick={() => {
              api
                .removeSpec(spec.name)
                .then((next) => client.setQueryData(["specs"], next))
                .catch(complain);
            }}
          >
            forget it
          </button>
        )}
      </span>
    </th>
  );
}

interface CellProps {
  label: string;
  row: Delivered | undefined;
  ticked: boolean;
  onTick: (on: boolean) => void;
}

function Cell({ label, row, ticked, onTick }: CellProps) {
  if (row?.state === "running")
    return (
      <div role="status" aria-label={`${label}: printing`}>
        {row.progress > 0 ? `printing · ${Math.round(100 * row.progress)} %` : "waiting"}
        <div className="mt-1 h-[3px] bg-trough">
          <div className="h-full bg-rim" style={{ width: `${100 * row.progress}%` }} />
        </div>
      </div>
    );
  const box = (words: string) => (
    <label className="flex items-center gap-1 whitespace-nowrap">
      <input
        type="checkbox"
        aria-label={label}
        checked={ticked}
        onChange={({ target }) => onTick(target.checked)}
      />
      {words}
    </label>
  );
  if (!row) return box("not printed");
  const at = formatMoment(row.made_at).slice(11);
  if (row.state === "stopped") return box("stopped · again");
  const file = row.state === "done" && (
    <a
      className="cap block truncate hover:underline"
      href={`/api/deliveries/${row.id}/file`}
      title={`${row.file_name}, SHA-256 ${row.sha256 ?? ""}`}
    >
      {at} · {row.sha256?.slice(0, SHOWN_HASH)}… · download
    </a>
  );
  if (row.changed)
    return (
      <>
        {box(`changed since ${at}`)}
        {file}
      </>
    );
  if (row.passed)
    return (
      <>
        <b className="font-[650] text-green">passed</b>
        {file}
      </>
    );
  return (
    <>
      <span className="block text-copper" title={row.reasons.join("\n")}>
        {row.reasons[0]}
      </span>
      {box("again")}
      {file}
    </>
  );
}
