import { heardSong, setLoop, setPlaying } from "../state/listening";
import { useBench } from "../state/store";
import { formatTime } from "../ui/format";
import { useHeard } from "../state/useHeard";

/** Play, the time, and the way out of a loop. */
export function Transport() {
  const playing = useBench((s) => s.playing);
  const song = useBench((s) => s.song)!;
  const loop = useBench((s) => s.loop);
  const at = useHeard(() => formatTime(heardSong() / song.rate_hz, 2));
  return (
    <>
      <button
        type="button"
        aria-label={playing ? "Pause" : "Play"}
        onClick={() => setPlaying(!playing)}
        className="grid h-[40px] w-[40px] shrink-0 place-items-center rounded-full bg-rim"
      >
        <svg width="16" height="18" aria-hidden className="fill-on-rim">
          {playing ? <path d="M1 1h5v16H1zM10 1h5v16h-5z" /> : <path d="M2 1l13 8-13 8z" />}
        </svg>
      </button>
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
