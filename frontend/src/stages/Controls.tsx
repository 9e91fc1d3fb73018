import { useCallback, useMemo } from "react";
import type { DetectorFilter, Param, Stage, Value } from "../api/types";
import { paramLabel, setField, setParam } from "../state/editing";
import { edit } from "../state/edits";
import { kindInfo, useBench } from "../state/store";
import { stageOf } from "../tree/tree";
import { Control } from "./Control";
import { DetectorFilters } from "./DetectorFilters";
import { followWork, newReference } from "./holdGainReduction";

/** What has a place of its own on the bench. */
const ELSEWHERE = new Set(["key", "bands", "phase", "by", "crossovers_hz", "widths"]);
/** The controls of any stage, from its declaration. */
export function Controls({ stage }: { stage: Stage }) {
  const info = kindInfo(stage.kind);
  const shared = useBench((s) => s.stages?.shared.stage.find(({ name }) => name === "mix"));
  const mix = useMemo(() => shared && info && { ...shared, default: info.mix }, [shared, info]);
  // the same function for as long as the stage is shown, or every control would be drawn anew at each move
  const change = useCallback(
    (param: Param, value: Value, resting: boolean) => {
      const { recipe } = useBench.getState();
      const now = recipe && stageOf(recipe, stage.id);
      const title = now && kindInfo(now.kind)?.title;
      if (!title) return;
      edit(setParam(recipe, now.id, param.name, value), paramLabel(title, param, value), resting);
      if (param.name === "threshold_db") newReference();
      else followWork(now, param.name, recipe);
    },
    [stage.id],
  );
  const changeMix = useCallback(
    (param: Param, value: Value) => {
      const { recipe } = useBench.getState();
      const now = recipe && stageOf(recipe, stage.id);
      const title = now && kindInfo(now.kind)?.title;
      if (title && typeof value === "number")
        edit(setField(recipe, now.id, { mix: value }), paramLabel(title, param, value));
    },
    [stage.id],
  );
  if (!info) return null;
  const values = stage.params as unknown as Record<string, Value>;
  // lists come last: they take the whole width
  const shown = info.params.filter(({ name }) => !ELSEWHERE.has(name));
  const params = [...shown].sort((a, b) => Number(a.type === "array") - Number(b.type === "array"));
  return (
    <div
      data-controls
      className={`grid min-h-0 content-start gap-x-[18px] gap-y-[1px] overflow-y-auto px-[4px] [&_.seg>button]:px-[6px] pt-2 pb-1 max-[1180px]:grid-cols-4 ${params.length > 9 ? "grid-cols-5" : "grid-cols-4"}`}
    >
      {params.map((param) =>
        param.name === "detector_filters" ? (
          <DetectorFilters
            key={param.name}
            stage={stage.id}
            filters={values[param.name] as DetectorFilter[]}
          />
        ) : (
          <Control
            key={param.name}
            target={stage.id}
            path={param.name}
            param={param}
            value={values[param.name] ?? null}
            idle={isIdle(param.name, values)}
            onChange={change}
          />
        ),
      )}
      {info.mixes && mix && (
        <Control
          target={stage.id}
          path="mix"
          param={mix}
          value={stage.mix}
          idle={false}
          onChange={changeMix}
        />
      )}
    </div>
  );
}

/** Whether a control has nothing to act on at the moment. */
function isIdle(name: string, values: Record<string, Value>): boolean {
  if (name === "tilt_db_oct") return values.reference !== "tilted";
  if (name.startsWith("emphasis_") && name !== "emphasis_on") return values.emphasis_on !== true;
  if (name === "rms_ms") return values.detector !== "rms";
  if (name === "release_ms") return values.release_mode === "auto" && "ceiling_db" in values;
  const pass = /^(high_pass|low_pass)_(?!on)/.exec(name);
  return pass !== null && values[`${pass[1]}_on`] === false;
}
