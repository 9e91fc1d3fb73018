import { heardSong } from "../state/listening";
import { Monitor } from "../listening/Monitor";
import { PlayButton } from "../listening/PlayButton";
import { MonitorChoices } from "../listening/MonitorChoices";
import { formatTime } from "../ui/format";
import { Segments } from "../ui/Segments";
import { useLiveReadings } from "../state/useLiveReadings";
import { recordFrame, songAt } from "./positions";
import type { RecordNow } from "../api/recordTypes";
import type { Playing } from "./usePlayable";
import { useHearing } from "./useRecord";

const PARTS = [
  { value: "all", label: "all of it" },
  { value: "joins", label: "transitions only" },
] as const;

interface Props {
  record: RecordNow | undefined;
  playing: Playing;
  /** whether the loudness of all songs is known */
  known: boolean;
}

/** How the record is heard; nothing here is ever part of a delivery. */
export function RecordBar({ record, playing, known }: Props) {
  const { played, progress, problem } = playing;
  const { part, level } = useHearing();
  const at = useLiveReadings(() =>
    played ? formatTime(recordFrame(played, heardSong()) / played.rate_hz, 2) : "0:00.00",
  );
  const song = useLiveReadings(() => (played ? songAt(played, recordFrame(played, heardSong())) : 0));
  const titles = record?.songs.map(({ title }) => title) ?? [];
  return (
    <section
      aria-label="Listening"
      className="grid grid-cols-[minmax(0,1fr)] grid-rows-[52px_20px] overflow-hidden border-t border-line bg-bar px-[14px]"
    >
      <div className="flex items-center gap-3 max-[1100px]:gap-2">
        <PlayButton disabled={!played} />
        <div className="w-[92px] shrink-0">
          <output aria-label="Position" className="block text-[16px] font-bold [font-stretch:92%]">
            {at}
          </output>
          <span className="cap">{titles.length ? `song ${song + 1} of ${titles.length}` : "no songs"}</span>
        </div>
        <div>
          <div className="cap mb-[2px]">Level</div>
          <Segments
            label="Level"
            value={level}
            options={[
              { value: "own", label: "their own level" },
              { value: "equal", label: "equal loudness", disabled: !known },
            ]}
            onChange={(next) => useHearing.setState({ level: next })}
          />
        </div>
        <div>
          <div className="cap mb-[2px]">Play</div>
          <Segments
            label="Play"
            value={part}
            options={PARTS}
            onChange={(next) => useHearing.setState({ part: next })}
          />
        </div>
        <div className="ml-auto flex shrink-0 items-end gap-3 max-[1100px]:gap-2">
          <MonitorChoices />
          <Monitor />
        </div>
      </div>
      <div role="status" aria-label="Hearing" className="truncate">
        {problem ? (
          <span className="text-copper">{problem}</span>
        ) : played ? (
          <>
            <span className="text-mute">listening to</span>{" "}
            <b className="font-[620]">
              {part === "joins" ? "the joins, 8 s of each side" : (titles[song] ?? "")}
              {level === "equal" ? ", all songs at equal loudness" : ""}
            </b>
          </>
        ) : (
          <span className="text-mute">
            {titles.length
              ? `mastering the songs so that they play in a row · ${Math.round(100 * progress)} %`
              : "nothing to play yet"}
          </span>
        )}
      </div>
    </section>
  );
}
