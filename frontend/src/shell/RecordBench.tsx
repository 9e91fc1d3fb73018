import { useEffect, useState } from "react";
import { obeyBeforeLists, obeyKey } from "./keys";
import { Notice } from "./Notice";
import { InlineName } from "../ui/InlineName";
import { formatTime } from "../ui/format";
import { Segments } from "../ui/Segments";
import { ChainsTable } from "../record/ChainsTable";
import { Delivery } from "../record/Delivery";
import { Documents } from "../record/Documents";
import { lengthOf } from "../record/positions";
import { RecordCard } from "../record/RecordCard";
import { RecordBar } from "../record/RecordBar";
import { RecordHeader } from "./RecordHeader";
import { RecordSongs } from "../record/RecordSongs";
import { TonePicture } from "../record/TonePicture";
import { useBackgroundImport } from "../state/useBackgroundImport";
import { usePlayable } from "../record/usePlayable";
import { useRecord, useRecordEdits, useRecordHeard } from "../record/useRecord";

const PARTS = [
  { value: "mid", label: "mid" },
  { value: "side", label: "side" },
] as const;

/** All songs of a record beside each other: order, levels, joins, what stands out. */
export default function RecordBench() {
  const { record, problem } = useRecord();
  const { heard, problem: unheard } = useRecordHeard(record);
  const playing = usePlayable(record);
  const { edit, step } = useRecordEdits();
  const coming = useBackgroundImport();
  const [part, setPart] = useState<"mid" | "side">("mid");
  useEffect(() => {
    const undo = (event: KeyboardEvent) => {
      if (!(event.ctrlKey || event.metaKey) || event.target instanceof HTMLInputElement) return;
      const key = event.key.toLowerCase();
      if (key !== "z" && key !== "y") return;
      event.preventDefault();
      event.stopImmediatePropagation();
      void step(key === "y" || event.shiftKey ? "redo" : "undo");
    };
    window.addEventListener("keydown", undo, true);
    window.addEventListener("keydown", obeyBeforeLists, true);
    window.addEventListener("keydown", obeyKey);
    return () => {
      window.removeEventListener("keydown", undo, true);
      window.removeEventListener("keydown", obeyBeforeLists, true);
      window.removeEventListener("keydown", obeyKey);
    };
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [record?.id]);
  const far = (heard?.stands_out ?? []).filter(({ songs, unit }) => songs.length === 1 && unit === "dB");
  return (
    <main className="grid h-full grid-rows-[38px_minmax(0,1fr)_76px]">
      <RecordHeader record={record} />
      <div className="grid min-h-0 grid-cols-[minmax(0,1fr)_300px] max-[1100px]:grid-cols-[minmax(0,1fr)_230px]">
        <section
          aria-label="Record"
          className="grid min-h-0 grid-rows-[36px_minmax(150px,max-content)_minmax(120px,1fr)] bg-enamel px-[14px] pt-2"
        >
          {!record && problem && (
            <p role="alert" className="p-6 text-copper">
              {problem}
            </p>
          )}
          {record && (
            <>
              <div className="flex items-center gap-2">
                <InlineName
                  label="Title of the record"
                  name={record.title}
                  className="w-[190px] text-[16px]"
                  onName={(title) => void edit(`called ${title}`, (now) => ({ ...now, title }))}
                />
                <InlineName
                  label="Artist"
                  name={record.artist || "artist"}
                  className="w-[180px] font-[500]!"
                  onName={(artist) => void edit(`artist ${artist}`, (now) => ({ ...now, artist }))}
                />
                <span className="truncate text-mute">
                  {record.songs.length} songs · {formatTime(lengthOf(record.songs), 1)}
                  {record.archived ? " · put away" : ""}
                </span>
                {coming && (
                  <span role="status" className="truncate text-mute">
                    {coming} …
                  </span>
                )}
                <RecordCard
                  record={record}
                  onChange={(label, next) => void edit(label, (now) => ({ ...now, ...next }))}
                />
                <span className="ml-auto" />
                <ChainsTable record={record} heard={heard} />
              </div>
              {record.songs.length ? (
                <>
                  <RecordSongs record={record} heard={heard} played={playing.played} />
                  <Delivery record={record} />
                </>
              ) : (
                <p className="p-6 text-mute">
                  No songs yet. Bring files on the bench, or move songs here from their own records.
                </p>
              )}
            </>
          )}
        </section>
        <aside className="flex min-h-0 flex-col gap-2 overflow-y-auto border-l border-line bg-enamel px-[14px] pt-2 pb-3">
          <div className="flex items-center justify-between">
            <h2 className="font-[660]">Tone, song by song</h2>
            <Segments label="Component" value={part} options={PARTS} onChange={setPart} />
          </div>
          <TonePicture
            tone={heard?.tone ?? null}
            part={part === "mid" ? 0 : 1}
            far={far.map(({ songs }) => songs[0]! - 1)}
          />
          <p className="cap">each at its own loudness, against the record; shaded: where most of it lies</p>
          <h2 className="pt-1 font-[660]">Findings</h2>
          {unheard && (
            <p role="alert" className="text-copper">
              {unheard}
            </p>
          )}
          {heard?.work && !unheard && (
            <p role="status" className="text-mute">
              surveying the songs · {Math.round(100 * heard.work.progress)} %
            </p>
          )}
          <ul aria-label="Findings">
            {heard?.stands_out.map(({ songs, says }) => (
              <li key={says + songs.join()}>
                <b className="font-[700] text-copper">{songs.join("→")}</b> {says}
              </li>
            ))}
          </ul>
          {heard?.work === null && heard.stands_out.length === 0 && (
            <p className="text-mute">No findings: the songs go together.</p>
          )}
          {record && record.songs.length > 0 && <Documents record={record} ready={heard?.papers ?? false} />}
        </aside>
      </div>
      <RecordBar record={record} playing={playing} known={heard?.work === null} />
      <Notice />
    </main>
  );
}
