import { Switch } from "radix-ui";
import type { DetectorFilter, Param, Stage, Value } from "../api/types";
import { paramLabel, setField, setParam } from "../state/editing";
import { edit } from "../state/edits";
import { rest } from "../state/saving";
import { kindInfo, useBench } from "../state/store";
import { Choice } from "../ui/Choice";
import { Hint } from "../ui/Hint";
import { Rule } from "../ui/Rule";
import { Segments } from "../ui/Segments";
import { DetectorFilters } from "./DetectorFilters";
import { followWork, newReference } from "./keepWork";

const FEW = 5;
/** What has a place of its own on the bench. */
const ELSEWHERE = new Set(["key", "bands", "phase", "by"]);
const MIX: Param = {
  name: "mix",
  type: "number",
  label: "Mix",
  says: "How much of the treated sound against the untouched one, aligned.",
  unit: "",
  default: 1,
  low: 0,
  high: 1,
  scale: "linear",
  ticks: [0, 0.5, 1],
  choices: [],
};

/** The controls of any stage, from its declaration. */
export function Controls({ stage }: { stage: Stage }) {
  const info = kindInfo(stage.kind);
  if (!info) return null;
  const values = stage.params as unknown as Record<string, Value>;
  const change = (param: Param, value: Value, resting: boolean) => {
    const { recipe } = useBench.getState();
    if (!recipe) return;
    edit(setParam(recipe, stage.id, param.name, value), paramLabel(info.title, param, value), resting);
    if (param.name === "threshold_db") newReference();
    else followWork(stage, param.name, recipe);
  };
  // lists come last: they take the whole width
  const shown = info.params.filter(({ name }) => !ELSEWHERE.has(name));
  const params = [...shown].sort((a, b) => Number(a.type === "array") - Number(b.type === "array"));
  return (
    <div
      className={`grid min-h-0 content-start gap-x-[18px] gap-y-[1px] overflow-y-auto px-[4px] [&_.seg>button]:px-[6px] pt-2 pb-1 max-[1180px]:grid-cols-4 ${params.length > 9 ? "grid-cols-5" : "grid-cols-4"}`}
    >
      {params.map((param) => (
        <Control
          key={param.name}
          stage={stage}
          param={param}
          value={values[param.name] ?? null}
          idle={isIdle(param.name, values)}
          onChange={(value, resting) => change(param, value, resting)}
        />
      ))}
      {info.mixes && (
        <Control
          stage={stage}
          param={MIX}
          value={stage.mix}
          idle={false}
          onChange={(value) => {
            const { recipe } = useBench.getState();
            if (recipe && typeof value === "number")
              edit(setField(recipe, stage.id, { mix: value }), paramLabel(info.title, MIX, value));
          }}
        />
      )}
    </div>
  );
}

/** Whether a control has nothing to act on at the moment. */
function isIdle(name: string, values: Record<string, Value>): boolean {
  if (name === "rms_ms") return values.detector !== "rms";
  if (name === "release_ms") return values.release_mode === "auto" && "ceiling_db" in values;
  const pass = /^(high_pass|low_pass)_(?!on)/.exec(name);
  return pass !== null && values[`${pass[1]}_on`] === false;
}

interface ControlProps {
  stage: Stage;
  param: Param;
  value: Value;
  idle: boolean;
  onChange: (value: Value, resting: boolean) => void;
}

function Control({ stage, param, value, idle, onChange }: ControlProps) {
  if (param.name === "detector_filters")
    return <DetectorFilters stage={stage} filters={value as DetectorFilter[]} />;
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
    label: `${choice}${param.choices.length > FEW ? ` ${param.unit}` : ""}`,
  }));
  const List = param.choices.length > FEW ? Choice : Segments;
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
