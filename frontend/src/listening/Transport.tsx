import { heardSong, setLoop } from "../state/listening";
import { useBench } from "../state/store";
import { formatTime } from "../ui/format";
import { useLiveReadings } from "../state/useLiveReadings";
import { PlayButton } from "./PlayButton";

/** Play, the time, and the way out of a loop. */
export function Transport() {
  const song = useBench((s) => s.song)!;
  const loop = useBench((s) => s.loop);
  const at = useLiveReadings(() => formatTime(heardSong() / song.rate_hz, 2));
  return (
    <>
      <PlayButton />
      <div className="w-[92px] shrink-0 max-[1100px]:w-[76px]">
        <output aria-label="Position" className="block text-[16px] font-bold [font-stretch:92%]">
          {at}
        </output>
        {loop ? (
          <button
            type="button"
            className="cap truncate hover:text-copper"
            title="Leave the loop"
            onClick={() => setLoop(null)}
          >
            loop {formatTime(loop[0] / song.rate_hz)} – {formatTime(loop[1] / song.rate_hz)} ×
          </button>
        ) : (
          <span className="cap">of {formatTime(song.frames / song.rate_hz, 1)}</span>
        )}
      </div>
    </>
  );
}
