import { Tooltip } from "radix-ui";
import { lazy, Suspense, useEffect, useState } from "react";
import { api } from "../api/client";
import { Bench } from "./Bench";
import { DropTarget } from "./DropTarget";
import { importFiles, useImporting } from "../state/importing";
import { addressed, addressedRecord, openRecord, openSong } from "../state/openSong";
import { complain, useBench } from "../state/store";
import { applyTheme } from "./theme";

const RecordBench = lazy(() => import("./RecordBench"));

/** The song or record that the address names, the song that was open last, else the first of the library; null where there is none. */
async function openLast(): Promise<boolean> {
  const record = addressedRecord();
  if (record !== null) {
    await openRecord(record);
    return true;
  }
  const songs = await api.songs();
  const last = addressed() ?? Number(localStorage.getItem("song"));
  const song = songs.find(({ id }) => id === last) ?? songs[0];
  if (song) await openSong(song.id);
  return song !== undefined;
}

export function App() {
  const ready = useBench((s) => s.song !== null);
  const record = useBench((s) => s.record);
  const [empty, setEmpty] = useState(false);
  const [problem, setProblem] = useState<string | null>(null);
  useEffect(() => {
    applyTheme(useBench.getState().dark);
    openLast()
      .then((found) => setEmpty(!found))
      .catch((refused: unknown) => setProblem(refused instanceof Error ? refused.message : String(refused)));
  }, []);
  useEffect(() => {
    // back and forth in the browser go from song to song, and to records
    const there = () => {
      const [song, record] = [addressed(), addressedRecord()];
      if (song !== null) openSong(song).catch(complain);
      if (record !== null) openRecord(record).catch(complain);
    };
    window.addEventListener("popstate", there);
    return () => window.removeEventListener("popstate", there);
  }, []);
  return (
    <Tooltip.Provider delayDuration={450} skipDelayDuration={200}>
      {record !== null ? (
        <Suspense fallback={<span />}>
          <RecordBench key={record} />
        </Suspense>
      ) : ready ? (
        <Bench />
      ) : (
        <Welcome empty={empty} problem={problem} />
      )}
      <DropTarget />
    </Tooltip.Provider>
  );
}

function Welcome({ empty, problem }: { empty: boolean; problem: string | null }) {
  const importing = useImporting();
  const said = problem ?? importing.problem;
  return (
    <main className="grid h-full place-items-center bg-enamel">
      <div className="w-[420px] text-center">
        <h1 className="text-[22px] font-bold text-rim">Tin Kettle</h1>
        {said && (
          <p role="alert" className="mt-3 text-copper">
            {said}
          </p>
        )}
        {empty ? (
          <label className="strong mt-4 inline-block cursor-pointer">
            {importing.name ? `Bringing ${importing.name} …` : "Bring a pre-master: WAV, FLAC, AIFF or OGG"}
            <input
              type="file"
              multiple
              className="sr-only"
              accept=".wav,.flac,.aif,.aiff,.ogg,audio/*"
              onChange={(event) => {
                const files = [...(event.target.files ?? [])];
                if (files.length) void importFiles(files);
              }}
            />
          </label>
        ) : (
          !said && <p className="mt-2 text-mute">opening …</p>
        )}
      </div>
    </main>
  );
}
