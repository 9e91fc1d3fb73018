import type { Laid, RecordSong } from "../api/recordTypes";
import { InlineNumber } from "../ui/InlineNumber";

interface Props {
  before: RecordSong;
  after: RecordSong;
  playable: boolean;
  onChange: (label: string, change: Partial<Laid>) => void;
  onHear: () => void;
}

/** Between two songs: a gap or a crossfade, and the way to hear it. */
export function JoinRow({ before, after, playable, onChange, onHear }: Props) {
  const crossed = after.gap_s < 0;
  return (
    <li className="flex items-center gap-1 pl-[196px] text-[11px] max-[1100px]:pl-[150px]">
      <span className="text-mute">{crossed ? "crossfade, gap" : "gap"}</span>
      <InlineNumber
        label={`Gap before ${after.title}`}
        value={after.gap_s}
        unit="s"
        low={-30}
        high={60}
        step={0.1}
        className="w-[58px]"
        onValue={(gap_s) => onChange(gap_s < 0 ? `crossfade ${-gap_s} s` : `gap ${gap_s} s`, { gap_s })}
      />
      <button
        type="button"
        className="px-1 font-[620] text-rim hover:underline disabled:opacity-50"
        disabled={!playable}
        aria-label={`Play transition of ${before.title} and ${after.title}`}
        onClick={onHear}
      >
        Play transition
      </button>
      <span className="h-px flex-1 border-t border-dashed border-line" />
    </li>
  );
}
