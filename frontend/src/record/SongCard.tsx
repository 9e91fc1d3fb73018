import { Popover } from "radix-ui";
import type { Laid, RecordSong } from "../api/recordTypes";
import { InlineCode } from "../ui/InlineCode";
import { InlineNumber } from "../ui/InlineNumber";
import { Segments } from "../ui/Segments";
import { MoveSong } from "./MoveSong";
import { secondsOf } from "./positions";

const SHAPES = [
  { value: "line", label: "even" },
  { value: "smooth", label: "smooth" },
  { value: "power", label: "equal power" },
] as const;

interface Props {
  song: RecordSong;
  /** where it begins and ends to sound, in seconds; nothing until it is surveyed */
  sounds: [number, number] | undefined;
  onChange: (label: string, change: Partial<Laid>) => void;
}

/** How a song lies in the record: what is left of it, how it fades, its code. */
export function SongCard({ song, sounds, onChange }: Props) {
  const whole = song.frames / song.rate_hz;
  const seconds = { unit: "s", step: 0.1, decimals: 2, className: "w-[76px] text-right" };
  return (
    <Popover.Root>
      <Popover.Trigger
        className="px-1 text-[11px] text-mute hover:text-ink"
        aria-label={`Fades of ${song.title}`}
      >
        Fades <span aria-hidden>▾</span>
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          aria-label={`Start, end and fades of ${song.title}`}
          className="menu w-[290px] p-3!"
          side="bottom"
          align="start"
          sideOffset={2}
        >
          <div className="grid grid-cols-[1fr_auto] items-center gap-y-1">
            <span>Starts at</span>
            <InlineNumber
              {...seconds}
              label="Starts at"
              value={song.start_s}
              low={0}
              high={Math.max(0, (song.end_s ?? whole) - 0.1)}
              onValue={(start_s) => onChange("starts later", { start_s })}
            />
            <span>Ends at</span>
            <InlineNumber
              {...seconds}
              label="Ends at"
              value={song.end_s ?? whole}
              low={song.start_s + 0.1}
              high={whole}
              onValue={(end) => onChange("ends earlier", { end_s: end >= whole - 0.005 ? null : end })}
            />
            <span>Fades in over</span>
            <InlineNumber
              {...seconds}
              label="Fades in over"
              value={song.fade_in_s}
              low={0}
              high={Math.min(60, secondsOf(song))}
              onValue={(fade_in_s) => onChange("fade in", { fade_in_s })}
            />
            <span>Fades out over</span>
            <InlineNumber
              {...seconds}
              label="Fades out over"
              value={song.fade_out_s}
              low={0}
              high={Math.min(60, secondsOf(song))}
              onValue={(fade_out_s) => onChange("fade out", { fade_out_s })}
            />
          </div>
          {sounds && (
            <button
              type="button"
              className="plain mt-1"
              title="Starts where it begins to sound and ends where it has died away, with a breath on both sides"
              onClick={() => onChange("trimmed to silence", { start_s: sounds[0], end_s: sounds[1] })}
            >
              trim to silence
            </button>
          )}
          <div className="mt-2">
            <Segments
              label="Shape of the fades"
              value={song.fade_shape}
              options={SHAPES}
              onChange={(fade_shape) => onChange("shape of fades", { fade_shape })}
            />
          </div>
          <div className="mt-2">
            <InlineCode
              label="ISRC"
              hint="none"
              value={song.isrc}
              onValue={(code) => onChange("ISRC", { isrc: code?.replaceAll("-", "") ?? null })}
            />
          </div>
          <MoveSong song={song} />
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}
