import type { SongHeard } from "../api/recordTypes";
import { colour, useCanvas } from "../ui/useCanvas";
import { drawLine } from "../plots/plot";

const QUIETEST_LUFS = -36;
const LOUDEST_LUFS = -4;

interface Props {
  title: string;
  heard: SongHeard | undefined;
  /** Where in the song it is to be heard, 0 to 1. */
  onSeek: (share: number) => void;
}

/** A song as it is mastered, at its level in the record, with its short-term loudness as a line. */
export function SongWave({ title, heard, onSeek }: Props) {
  const ref = useCanvas((context, width, height) => {
    const middle = height / 2;
    if (!heard) {
      context.fillStyle = colour("trough");
      context.fillRect(0, middle - 1, width, 2);
      return;
    }
    const [lowest, highest] = heard.wave;
    const step = width / Math.max(1, lowest.length);
    context.fillStyle = colour("steel");
    highest.forEach((high, i) => {
      const top = middle - high * middle * 0.96;
      const bottom = middle - lowest[i]! * middle * 0.96;
      context.fillRect(i * step, top, Math.max(step, 0.8), Math.max(0.8, bottom - top));
    });
    const frame = { left: 0, top: 3, width, height: height - 6 };
    const ys = heard.short_term_lufs.map((lufs) => {
      if (lufs === null) return NaN;
      const share = (lufs - QUIETEST_LUFS) / (LOUDEST_LUFS - QUIETEST_LUFS);
      return frame.top + (1 - Math.max(0, Math.min(1, share))) * frame.height;
    });
    const xs = ys.map((_, i) => (i + 0.5) * step);
    drawLine(context, frame, xs, ys, { ink: "mustard", width: 1.8 });
  });
  return (
    <button
      type="button"
      aria-label={`Play ${title} from here`}
      title="Click to hear it from there"
      className="block h-full w-full cursor-pointer"
      onClick={(event) => {
        const box = event.currentTarget.getBoundingClientRect();
        onSeek(event.detail === 0 ? 0 : (event.clientX - box.left) / box.width);
      }}
    >
      <canvas ref={ref} className="h-full w-full" aria-hidden />
    </button>
  );
}
