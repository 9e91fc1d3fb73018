import { Popover } from "radix-ui";
import type { Param } from "../api/types";
import { Rule } from "../ui/Rule";
import { BASE_RULE } from "../ui/scale";
import { spectra, useSpectrumSettings } from "./useSpectra";

const AVERAGING: Param = {
  ...BASE_RULE,
  name: "averaging",
  label: "Averaging",
  says: "How calm the spectrum is: none follows every hit, much shows the balance.",
  default: 0.75,
  low: 0,
  high: 1,
  ticks: [0, 0.5, 1],
};
const SLOPE: Param = {
  ...BASE_RULE,
  name: "slope",
  label: "Slope",
  unit: "dB/oct",
  says: "Tilts the spectrum so that balanced music looks flat; 3 dB an octave suits most.",
  default: 3,
  low: 0,
  high: 6,
  ticks: [0, 1.5, 3, 4.5, 6],
};

/** How the spectrum is shown: hold, freeze, averaging, slope. */
export function SpectrumTools() {
  const { averaging, slope_db_oct: slope, hold, frozen } = useSpectrumSettings();
  const set = useSpectrumSettings.setState;
  return (
    <span className="seg" role="group" aria-label="Spectrum">
      <button
        type="button"
        data-state={hold ? "on" : "off"}
        aria-pressed={hold}
        title="Keep the highest level of every frequency"
        onClick={() => set({ hold: !hold })}
      >
        Peak hold
      </button>
      <button type="button" title="Keep this spectrum for comparing" onClick={() => spectra.freeze()}>
        Freeze{frozen.length ? ` (${frozen.length})` : ""}
      </button>
      {frozen.length > 0 && (
        <button type="button" aria-label="Forget frozen spectra" onClick={() => set({ frozen: [] })}>
          ×
        </button>
      )}
      <Popover.Root>
        <Popover.Trigger asChild>
          <button type="button">Slope {slope.toFixed(1).replace(".0", "")} dB/oct</button>
        </Popover.Trigger>
        <Popover.Portal>
          <Popover.Content className="menu w-[260px] p-3!" sideOffset={6}>
            <Rule
              param={AVERAGING}
              value={averaging}
              onMove={(value) => set({ averaging: value })}
              onRest={() => undefined}
            />
            <Rule
              param={SLOPE}
              value={slope}
              onMove={(value) => set({ slope_db_oct: value })}
              onRest={() => undefined}
            />
          </Popover.Content>
        </Popover.Portal>
      </Popover.Root>
    </span>
  );
}
