import type { RecordNow } from "../api/recordTypes";
import { openSong } from "../state/openSong";
import { complain } from "../state/store";
import { Shortcuts } from "./Shortcuts";
import { toggleTheme } from "./theme";
import { RecordMenu } from "../record/RecordMenu";
import { useRecordEdits } from "../record/useRecord";

const ACTION = "px-2 py-1 hover:not-disabled:bg-white/15";

export function RecordHeader({ record }: { record: RecordNow | undefined }) {
  const { step } = useRecordEdits();
  const last = Number(localStorage.getItem("song"));
  const song = record?.songs.find(({ id }) => id === last) ?? record?.songs[0];
  return (
    <header className="flex items-center gap-4 bg-header px-[14px] text-on-header">
      <h1 className="text-[14px] font-bold [font-stretch:104%]">Tin Kettle</h1>
      <RecordMenu record={record} />
      <nav aria-label="Views" className="flex self-stretch">
        <button
          type="button"
          className="px-4 opacity-80 hover:bg-white/15"
          disabled={!song}
          onClick={() => song && void openSong(song.id).catch(complain)}
        >
          Bench
        </button>
        <span aria-current="page" className="grid place-items-center bg-enamel px-4 font-[640] text-ink">
          Record
        </span>
      </nav>
      <div className="ml-auto flex items-center gap-[6px]">
        <button
          type="button"
          className={ACTION}
          disabled={!record?.undo}
          title={record?.undo ? `Undo “${record.undo}” (Ctrl Z)` : "Nothing to undo"}
          onClick={() => void step("undo")}
        >
          Undo
        </button>
        <button
          type="button"
          className={ACTION}
          disabled={!record?.redo}
          title={record?.redo ? `Redo “${record.redo}” (Ctrl Shift Z)` : "Nothing to redo"}
          onClick={() => void step("redo")}
        >
          Redo
        </button>
        <button type="button" className={ACTION} title="Light or dark" onClick={toggleTheme}>
          Theme
        </button>
        <Shortcuts />
      </div>
    </header>
  );
}
