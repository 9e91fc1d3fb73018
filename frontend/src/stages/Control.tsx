import { Switch } from "radix-ui";
import type { Param, Value } from "../api/types";
import { rest } from "../state/saving";
import { Choice } from "../ui/Choice";
import { Hint } from "../ui/Hint";
import { Rule } from "../ui/Rule";
import { Segments } from "../ui/Segments";

const FEW = 5;
/** Letters beyond which choices do not stand side by side in a column. */
const WIDEST = 22;

interface Props {
  param: Param;
  value: Value;
  idle: boolean;
  onChange: (value: Value, resting: boolean) => void;
}

/** One parameter as its declaration asks: a rule, a switch or a choice. */
export function Control({ param, value, idle, onChange }: Props) {
  if (param.type === "number" && typeof value === "number")
    return (
      <div className={idle ? "stale" : ""}>
        <Rule param={param} value={value} onMove={(next) => onChange(next, false)} onRest={rest} />
      </div>
    );
  if (param.type === "boolean")
    return (
      <label className="flex h-[47px] items-start gap-2 pt-[2px]">
        <Switch.Root
          checked={value === true}
          aria-label={param.label}
          onCheckedChange={(next) => onChange(next, true)}
          className="h-[16px] w-[30px] shrink-0 border border-rim bg-well data-[state=checked]:bg-rim"
        >
          <Switch.Thumb className="block h-[10px] w-[10px] translate-x-[2px] bg-rim transition-transform data-[state=checked]:translate-x-[16px] data-[state=checked]:bg-well" />
        </Switch.Root>
        <Hint text={param.says}>
          <span>{param.label}</span>
        </Hint>
      </label>
    );
  // a choice of one is none yet
  if (param.type !== "choice" || param.choices.length < 2) return null;
  const options = param.choices.map((choice) => ({
    value: String(choice),
    label: `${String(choice).replaceAll("_", " ")}${param.choices.length > FEW ? ` ${param.unit}` : ""}`,
  }));
  const long = options.reduce((letters, { label }) => letters + label.length + 2, 0) > WIDEST;
  const List = long || param.choices.length > FEW ? Choice : Segments;
  return (
    <div className={`flex h-[47px] flex-col gap-1 ${idle ? "stale" : ""}`}>
      <Hint text={param.says}>
        <span className="truncate">{param.label}</span>
      </Hint>
      <div>
        <List
          label={param.label}
          value={typeof value === "string" || typeof value === "number" ? String(value) : ""}
          options={options}
          onChange={(next) => onChange(param.choices.find((choice) => String(choice) === next) ?? null, true)}
        />
      </div>
    </div>
  );
}
