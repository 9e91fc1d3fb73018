import { setPlaying } from "../state/listening";
import { useBench } from "../state/store";

/** Play and pause. */
export function PlayButton({ disabled = false }: { disabled?: boolean }) {
  const playing = useBench((s) => s.playing);
  return (
    <button
      type="button"
      aria-label={playing ? "Pause" : "Play"}
      disabled={disabled}
      onClick={() => setPlaying(!playing)}
      className="grid h-[40px] w-[40px] shrink-0 place-items-center rounded-full bg-rim disabled:opacity-40"
    >
      <svg width="16" height="18" aria-hidden className="fill-on-rim">
        {playing ? <path d="M1 1h5v16H1zM10 1h5v16h-5z" /> : <path d="M2 1l13 8-13 8z" />}
      </svg>
    </button>
  );
}
