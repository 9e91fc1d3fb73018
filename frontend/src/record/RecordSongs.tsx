import { useRef, useState } from "react";
import type { RecordHeard, RecordNow, RecordSong, SongHeard } from "../api/recordTypes";
import { heardSong, seek, setPlaying } from "../state/listening";
import { openSong } from "../state/openSong";
import { complain, useBench } from "../state/store";
import { formatDb, formatTime } from "../ui/format";
import { InlineNumber } from "../ui/InlineNumber";
import { Playhead } from "../ui/Playhead";
import { JoinRow } from "./JoinRow";
import { moved, playedFrame, recordFrame, secondsOf } from "./positions";
import type { Played } from "./positions";
import { SongCard } from "./SongCard";
import { SongWave } from "./SongWave";
import { useHearing, useRecordEdits } from "./useRecord";

const JOIN_S = 8;
const CEILING_DBTP = -0.95;

interface Props {
  record: RecordNow;
  heard: RecordHeard | undefined;
  played: Played | null;
}

/** All songs in order on one time scale, with their joins; dragged, or moved with Alt and the arrow keys. */
export function RecordSongs({ record, heard, played }: Props) {
  const { edit } = useRecordEdits();
  const [dragged, setDragged] = useState<number | null>(null);
  const rows = useRef<(HTMLLIElement | null)[]>([]);
  const longest = Math.max(1, ...record.songs.map(secondsOf));
  const far = new Set(
    (heard?.stands_out ?? [])
      .filter(({ songs, unit }) => songs.length === 1 && unit === "LU")
      .flatMap(({ songs }) => songs),
  );
  const change = (song: RecordSong, label: string, next: Partial<RecordSong>) =>
    void edit(`${song.title}: ${label}`, (now) => ({
      ...now,
      songs: now.songs.map((one) => (one.id === song.id ? { ...one, ...next } : one)),
    }));
  const place = (from: number, to: number) => {
    const song = record.songs[from];
    if (!song || to === from || to < 0 || to >= record.songs.length) return;
    void edit(`${song.title} to place ${to + 1}`, (now) => ({ ...now, songs: moved(now.songs, from, to) }));
  };
  const hearAt = (frame: number) => {
    const at = played && playedFrame(played, frame);
    if (at === null) return;
    seek(at);
    setPlaying(true);
  };
  const drop = (y: number) => {
    if (dragged === null) return;
    const to = rows.current.findIndex((row) => {
      const box = row?.getBoundingClientRect();
      return box !== undefined && y < box.bottom;
    });
    setDragged(null);
    place(dragged, to < 0 ? record.songs.length - 1 : to);
  };
  return (
    <ol aria-label="Songs of the record" className="min-h-0 overflow-y-auto">
      <li
        aria-hidden
        className="cap grid grid-cols-[28px_168px_minmax(0,1fr)_230px] max-[1100px]:grid-cols-[24px_126px_minmax(0,1fr)_200px]"
      >
        <span />
        <span>song</span>
        <span>as mastered, one scale for all · line: short-term loudness</span>
        <span className="grid grid-cols-3">
          <span>loudness</span>
          <span>loudest, range</span>
          <span>true peak</span>
        </span>
      </li>
      {record.songs.map((song, i) => {
        const own = heard?.songs[song.id];
        return [
          i > 0 && (
            <JoinRow
              key={`join-${song.id}`}
              before={record.songs[i - 1]!}
              after={song}
              playable={played !== null}
              onChange={(label, next) => change(song, label, next)}
              onHear={() => {
                useHearing.setState({ part: "all" });
                if (played)
                  hearAt(Math.max(played.starts[i - 1]!, played.ends[i - 1]! - JOIN_S * played.rate_hz));
              }}
            />
          ),
          <li
            key={song.id}
            ref={(row) => {
              rows.current[i] = row;
            }}
            className={`grid h-[74px] grid-cols-[28px_168px_minmax(0,1fr)_230px] items-center border-t border-faint max-[1100px]:h-[66px] max-[1100px]:grid-cols-[24px_126px_minmax(0,1fr)_200px] ${dragged === i ? "bg-rim2" : ""}`}
          >
            <button
              type="button"
              aria-label={`${song.title}, song ${i + 1} of ${record.songs.length}; Alt and arrow keys move it`}
              title="Drag to another place, or Alt ↑ ↓"
              className="h-full cursor-grab text-left text-[16px] font-[640] text-mute hover:text-ink"
              onPointerDown={(event) => {
                event.currentTarget.setPointerCapture(event.pointerId);
                setDragged(i);
              }}
              onPointerUp={(event) => drop(event.clientY)}
              onPointerCancel={() => setDragged(null)}
              onKeyDown={(event) => {
                const by = { ArrowUp: -1, ArrowDown: 1 }[event.key];
                if (!event.altKey || by === undefined) return;
                event.preventDefault();
                event.stopPropagation();
                place(i, i + by);
              }}
            >
              {i + 1}
            </button>
            <div className="min-w-0 leading-[1.25]">
              <button
                type="button"
                className="block max-w-full truncate px-1 text-left font-[650] hover:underline"
                title="Open it on the bench"
                onClick={() => void openSong(song.id).catch(complain)}
              >
                {song.title}
              </button>
              <div className="flex items-center text-[11px] whitespace-nowrap text-mute">
                <span className="pl-1">{formatTime(secondsOf(song), 1)} · level</span>
                <InlineNumber
                  label={`Level of ${song.title}`}
                  value={song.gain_db}
                  unit="dB"
                  low={-24}
                  high={24}
                  step={0.1}
                  signed
                  className="w-[56px]"
                  onValue={(gain_db) => change(song, `level ${formatDb(gain_db, true)}`, { gain_db })}
                />
              </div>
              <SongCard
                song={song}
                sounds={own?.sounds_s}
                onChange={(label, next) => change(song, label, next)}
              />
            </div>
            <div className="h-[62px] min-w-0 max-[1100px]:h-[54px]">
              <div className="relative h-full" style={{ width: `${(100 * secondsOf(song)) / longest}%` }}>
                <SongWave
                  title={song.title}
                  heard={own}
                  onSeek={(share) => {
                    if (played) hearAt(played.starts[i]! + share * (played.ends[i]! - played.starts[i]! - 1));
                  }}
                />
                {played && <Head played={played} song={i} />}
              </div>
            </div>
            <Figures heard={own} stands={far.has(i + 1)} />
          </li>,
        ];
      })}
    </ol>
  );
}

/** Where in a song the record is heard. */
function Head({ played, song }: { played: Played; song: number }) {
  return (
    <Playhead
      style={{ top: 0, bottom: 0 }}
      at={(width) => {
        if (useBench.getState().song?.id !== 0) return null;
        const frame = recordFrame(played, heardSong());
        const [start, end] = [played.starts[song]!, played.ends[song]!];
        return frame < start || frame >= end ? null : (width * (frame - start)) / (end - start);
      }}
    />
  );
}

function Figures({ heard, stands }: { heard: SongHeard | undefined; stands: boolean }) {
  const over = (heard?.true_peak_dbtp ?? -100) > CEILING_DBTP;
  return (
    <dl className="grid grid-cols-3 pl-3 leading-[1.3]">
      <Figure
        value={formatDb(heard?.integrated_lufs, false, "")}
        unit="LUFS"
        ink={stands ? "text-copper" : ""}
      />
      <Figure
        value={formatDb(heard?.max_short_term_lufs, false, "")}
        unit={formatDb(heard?.loudness_range_lu, false, " LU")}
      />
      <Figure
        value={formatDb(heard?.true_peak_dbtp, false, "")}
        unit="dBTP"
        ink={heard ? (over ? "text-copper" : "text-green") : ""}
      />
    </dl>
  );
}

function Figure({ value, unit, ink = "" }: { value: string; unit: string; ink?: string }) {
  return (
    <div>
      <dd className={`text-[14px] font-[660] ${ink}`}>{value}</dd>
      <dt className="cap">{unit}</dt>
    </div>
  );
}
