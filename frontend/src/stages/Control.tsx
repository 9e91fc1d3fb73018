import { Switch } from "radix-ui";
import { memo } from "react";
import type { Param, Value } from "../api/types";
import { AutomationBadge } from "../automation/AutomationBadge";
import { AutomatedRule } from "../automation/AutomatedRule";
import { useAutomation } from "../automation/useAutomation";
import { rest } from "../state/saving";
import { Choice } from "../ui/Choice";
import { LabelledControl } from "../ui/LabelledControl";
import { Segments } from "../ui/Segments";

const FEW = 5;
/** Letters beyond which choices do not stand side by side in a column. */
const WIDEST = 22;

interface Props {
  /** the id of the stage, and the path of the value in it */
  target: string;
  path: string;
  param: Param;
  value: Value;
  idle: boolean;
  onChange: (param: Param, value: Value, resting: boolean) => void;
}

/** One parameter as its declaration asks: a rule, a switch or a choice; left alone while its neighbours move. */
export const Control = memo(function Control({ target, path, param, value, idle, onChange }: Props) {
  const ridden = useAutomation(target, path);
  if (param.type === "number" && typeof value === "number")
    return (
      <div className={idle ? "idle" : ""}>
        <AutomatedRule
          target={target}
          path={path}
          param={param}
          value={value}
          onMove={(next) => onChange(param, next, false)}
          onRest={rest}
        />
      </div>
    );
  const shown = ridden?.value ?? value;
  const badge = !param.delays && (
    <AutomationBadge target={target} path={path} label={param.label} on={ridden !== null} />
  );
  if (param.type === "boolean")
    return (
      <label className="group/ride flex h-[44px] items-start gap-2 pt-[2px]" data-ride={`${target} ${path}`}>
        <Switch.Root
          checked={shown === true}
          aria-label={param.label}
          onCheckedChange={(next) => onChange(param, next, true)}
          className="h-[16px] w-[30px] shrink-0 border border-rim bg-well data-[state=checked]:bg-rim"
        >
          <Switch.Thumb className="block h-[10px] w-[10px] translate-x-[2px] bg-rim transition-transform data-[state=checked]:translate-x-[16px] data-[state=checked]:bg-well" />
        </Switch.Root>
        <LabelledControl param={param} badge={badge} />
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
    <div
      className={`group/ride flex h-[44px] flex-col gap-1 ${idle ? "idle" : ""}`}
      data-ride={`${target} ${path}`}
    >
      <LabelledControl param={param} badge={badge} />
      <div>
        <List
          label={param.label}
          value={typeof shown === "string" || typeof shown === "number" ? String(shown) : ""}
          options={options}
          onChange={(next) =>
            onChange(param, param.choices.find((choice) => String(choice) === next) ?? null, true)
          }
        />
      </div>
    </div>
  );
});
