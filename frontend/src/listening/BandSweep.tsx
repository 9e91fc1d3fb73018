import { Slider } from "radix-ui";
import { bringOut } from "../chain/stageActions";
import { listenAs } from "../state/listening";
import { useBench } from "../state/store";
import { formatHz } from "../ui/format";
import { Hint } from "../ui/Hint";
import { LowsMeter } from "./LowsMeter";

const LOWS = { low: 40, high: 500 };
const BAND = { low: 20, high: 20000 };
const STEP_OCTAVES = 1 / 48;
const LEAST_STEPS = 12;

/** Sweeps what is heard alone, up and down: one edge of the lows, both of a band. */
export function BandSweep() {
  const { range, low_hz, high_hz } = useBench((s) => s.listening);
  if (range === "all") return null;
  const lows = range === "lows";
  const { low, high } = lows ? LOWS : BAND;
  const edges = lows ? [high_hz] : [low_hz, high_hz];
  const octave = (hz: number) => Math.log2(Math.max(low, Math.min(high, hz)));
  return (
    <div className="flex shrink-0 items-center gap-3">
      <Slider.Root
        className="relative block h-[13px] w-[170px] cursor-pointer touch-none"
        aria-label="Range that is heard"
        min={Math.log2(low)}
        max={Math.log2(high)}
        step={STEP_OCTAVES}
        minStepsBetweenThumbs={LEAST_STEPS}
        value={edges.map(octave)}
        onValueChange={(octaves) => {
          const hz = octaves.map((at) => Math.round(2 ** at));
          listenAs(lows ? { high_hz: hz[0]! } : { low_hz: hz[0]!, high_hz: hz[1]! });
        }}
      >
        <Slider.Track className="absolute inset-x-0 top-[5px] block h-[3px] bg-tick">
          <Slider.Range className="absolute h-full bg-rim" />
        </Slider.Track>
        {edges.map((hz, i) => (
          <Slider.Thumb
            key={i}
            className="block h-[13px] w-[7px] bg-ink"
            aria-label={lows ? "Lows below" : i === 0 ? "From" : "To"}
            aria-valuetext={formatHz(hz)}
          />
        ))}
      </Slider.Root>
      {lows ? (
        <LowsMeter below={high_hz} />
      ) : (
        <Hint text="Sweep until the drum stands alone, then lift its hits out of the mix: a split of hits, tonal and rest, with this range of the hits raised in the middle.">
          <button type="button" className="plain py-[1px]! whitespace-nowrap" onClick={() => void bringOut()}>
            bring out its hits
          </button>
        </Hint>
      )}
    </div>
  );
}
