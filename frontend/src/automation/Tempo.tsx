import { Popover } from "radix-ui";
import { useState } from "react";
import { api } from "../api/client";
import { heardSong, setGrid } from "../state/listening";
import { complain, useBench } from "../state/store";
import { useSurvey } from "../state/useSurvey";
import { Segments } from "../ui/Segments";
import { useGrid } from "./useGrid";

const FEWEST_TAPS = 4;
/** Who has not tapped for so long begins anew. */
const PAUSE_S = 3;
const BARS = [
  { value: "4", label: "4 beats" },
  { value: "3", label: "3 beats" },
] as const;

/** Tempo and bars that lanes snap to: as the survey found them, or as they are tapped along. */
export function Tempo() {
  const grid = useGrid();
  const surveyed = useSurvey()?.state === "done";
  const tapped = useBench((s) => s.grid !== null);
  const rateHz = useBench((s) => s.song!.rate_hz);
  const [taps, setTaps] = useState<number[]>([]);
  const bar = grid?.bar ?? 4;
  const find = (all: number[], beats: number) => {
    api.tapped(all, beats).then(setGrid).catch(complain);
  };
  const tap = () => {
    const at = heardSong() / rateHz;
    const last = taps.at(-1) ?? -Infinity;
    const all = at <= last || at - last > PAUSE_S ? [at] : [...taps, at];
    setTaps(all);
    if (all.length >= FEWEST_TAPS) find(all, bar);
  };
  return (
    <span className="truncate border-l border-faint px-3 text-[11px] leading-[17px] text-mute">
      <Popover.Root>
        <Popover.Trigger className="hover:text-ink">
          {grid
            ? `${grid.bpm.toFixed(1)} beats a minute, bars of ${grid.bar}`
            : surveyed
              ? "no steady tempo"
              : "tempo not known yet"}{" "}
          ▾
        </Popover.Trigger>
        <Popover.Portal>
          <Popover.Content className="menu w-[250px] p-3!" side="bottom" align="end" sideOffset={2}>
            <p className="pb-2 text-[12px]">
              {tapped
                ? "As it was tapped."
                : grid
                  ? `Found in the music; ${Math.round(grid.confidence * 100)} % of what strikes comes again a beat later.`
                  : "The survey found none. Play, and tap the beats from the first of a bar on."}
            </p>
            <div className="flex items-center gap-2">
              <button
                type="button"
                className="strong"
                onPointerDown={tap}
                onKeyDown={(event) => event.key === "Enter" && tap()}
              >
                tap{taps.length ? ` · ${taps.length}` : ""}
              </button>
              <Segments
                label="Beats of a bar"
                value={String(bar) as "3" | "4"}
                options={BARS}
                onChange={(next) => {
                  if (grid) setGrid({ ...grid, bar: Number(next), confidence: 1 });
                }}
              />
              {tapped && (
                <button
                  type="button"
                  className="plain"
                  onClick={() => {
                    setTaps([]);
                    setGrid(null);
                  }}
                >
                  as found
                </button>
              )}
            </div>
          </Popover.Content>
        </Popover.Portal>
      </Popover.Root>
    </span>
  );
}
