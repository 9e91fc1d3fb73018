import type { Param } from "../api/types";
import { DIM_DB, setMonitor, toggleDim } from "../state/listening";
import { useBench } from "../state/store";
import { Hint } from "../ui/Hint";
import { Rule } from "../ui/Rule";
import { BASE_RULE } from "../ui/scale";

const MONITOR: Param = {
  ...BASE_RULE,
  name: "monitor",
  label: "Monitor",
  says: "How loud the bench is heard. It never changes the print.",
  unit: "dB",
  default: -6,
  low: -60,
  high: 0,
  ticks: [-60, -40, -20, 0],
};

/** How loud the bench is heard. */
export function Monitor() {
  const monitorDb = useBench((s) => s.monitorDb);
  const dim = useBench((s) => s.dim);
  return (
    <>
      <Hint text={`Turns the monitor down by ${-DIM_DB} dB while you talk.`}>
        <button
          type="button"
          aria-pressed={dim}
          onClick={toggleDim}
          className={`border px-[8px] py-[3px] ${dim ? "border-mustard bg-mustard text-on-rim" : "border-line bg-well"}`}
        >
          Dim
        </button>
      </Hint>
      <div className="w-[112px] self-center pt-[4px] max-[1100px]:w-[84px]">
        <Rule param={MONITOR} value={monitorDb} onMove={setMonitor} onRest={() => undefined} />
      </div>
    </>
  );
}
