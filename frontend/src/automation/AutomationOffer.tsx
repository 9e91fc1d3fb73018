import { keepTouch, leaveRiding, useRiding } from "../state/automationRecording";
import { useBench } from "../state/store";
import { declaredAt } from "../tree/declarations";
import { tellValue } from "../ui/format";

/** The hand moved a value that is ridden: what is to become of it. */
export function AutomationOffer() {
  const offered = useRiding((s) => s.offered && s.held.length > 0);
  return offered && <Offered />;
}

function Offered() {
  const held = useRiding((s) => s.held);
  const recipe = useBench((s) => s.recipe)!;
  const stages = useBench((s) => s.stages)!;
  const [touch] = held;
  if (!touch) return null;
  const found = declaredAt(stages, recipe, touch.target, touch.param);
  if (!found) return null;
  const { param, title } = found;
  const isNumber = typeof touch.value === "number";
  const value = tellValue(param, touch.value);
  return (
    <div
      role="group"
      aria-label="Automation change"
      className="absolute inset-x-[14px] bottom-[8px] z-30 flex items-center gap-2 border border-copper bg-well px-3 py-[6px]"
    >
      <span className="mr-auto min-w-0 truncate">
        {title}: {param.label.toLowerCase()} is automated; moved to <b className="font-[640]">{value}</b>
        {held.length > 1 && ` · ${held.length - 1} more`}
      </span>
      {isNumber && (
        <button type="button" className="strong" onClick={() => void keepTouch("trim")}>
          Trim automation
        </button>
      )}
      <button type="button" className="plain" onClick={() => void keepTouch("over")}>
        Overwrite
      </button>
      <button type="button" className="plain" onClick={() => leaveRiding()}>
        Suspend
      </button>
    </div>
  );
}
