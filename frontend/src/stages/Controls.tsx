import { useCallback, useMemo } from "react";
import type { Param, Stage, Value } from "../api/types";
import { paramLabel, setField, setParam } from "../state/editing";
import { edit } from "../state/edits";
import { kindInfo, useBench } from "../state/store";
import { stageOf } from "../tree/tree";
import { Control } from "./Control";
import { followWork, newReference } from "./holdGainReduction";

/** The controls of any stage in columns by purpose, as its declaration has them. */
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
  const values: Record<string, Value> = {
    ...(stage.params as unknown as Record<string, Value>),
    mix: stage.mix,
  };
  const params = new Map([...info.params, ...(mix ? [mix] : [])].map((param) => [param.name, param]));
  const isIdle = (name: string) => {
    const only = info.active_when[name];
    return only !== undefined && values[only.param] !== only.is;
  };
  return (
    <div
      data-controls
      className="grid min-h-0 grid-flow-col auto-cols-[minmax(0,1fr)] content-start gap-x-[24px] overflow-y-auto px-[4px] pb-1 max-[1100px]:gap-x-[14px] [&_.plain]:py-[2px] [&_.seg>button]:px-[7px] [&_.seg>button]:py-[2px]"
    >
      {info.columns.map(({ title, params: names }) => (
        <section key={title} aria-label={title} className="min-w-0">
          <h3 className="cap border-b border-line pb-[3px] font-[560]">{title}</h3>
          {names.map((name) => {
            const param = params.get(name);
            return (
              param && (
                <Control
                  key={name}
                  target={stage.id}
                  path={name}
                  param={param}
                  value={values[name] ?? null}
                  idle={isIdle(name)}
                  onChange={name === "mix" ? changeMix : change}
                />
              )
            );
          })}
        </section>
      ))}
    </div>
  );
}
