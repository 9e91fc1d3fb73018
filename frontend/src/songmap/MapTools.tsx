import { Popover } from "radix-ui";
import { heardSong, setView } from "../state/listening";
import { useBench } from "../state/store";
import { zoomed } from "./geometry";
import type { ExtraRow } from "./useMap";
import { EXTRA_ROWS, useView } from "./useMap";

/** Zoom, and which rows there are. */
export function MapTools({ extra, setExtra }: { extra: ExtraRow[]; setExtra: (rows: ExtraRow[]) => void }) {
  const song = useBench((s) => s.song)!;
  const zoomedIn = useBench((s) => s.view) !== null;
  const view = useView();
  const loop = useBench((s) => s.loop);
  const nearer = (factor: number) => setView(zoomed(view, heardSong(), factor, song.frames));
  const tool = "px-[5px] whitespace-nowrap text-[12px] text-mute hover:bg-rim2 hover:text-ink";
  return (
    <div className="absolute bottom-[2px] left-[6px] flex text-[13px]">
      <button type="button" className={tool} title="Nearer (wheel)" onClick={() => nearer(0.5)}>
        +
      </button>
      <button type="button" className={tool} title="Farther (wheel)" onClick={() => nearer(2)}>
        −
      </button>
      <button
        type="button"
        className={tool}
        title={zoomedIn ? "Show the whole song" : "Show the loop"}
        onClick={() => setView(zoomedIn ? null : loop)}
      >
        {zoomedIn ? "all" : "loop"}
      </button>
      <Popover.Root>
        <Popover.Trigger className={tool}>rows ▾</Popover.Trigger>
        <Popover.Portal>
          <Popover.Content className="menu p-2!" side="bottom" align="start" sideOffset={2}>
            {EXTRA_ROWS.map(({ value, label }) => (
              <label key={value} className="flex items-center gap-2 px-1 py-[3px]">
                <input
                  type="checkbox"
                  className="accent-rim"
                  checked={extra.includes(value)}
                  onChange={(event) =>
                    setExtra(event.target.checked ? [...extra, value] : extra.filter((one) => one !== value))
                  }
                />
                {label}
              </label>
            ))}
          </Popover.Content>
        </Popover.Portal>
      </Popover.Root>
    </div>
  );
}
