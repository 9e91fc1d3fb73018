import { useRef } from "react";
import type { Branch, Param } from "../api/types";
import { edit } from "../state/edits";
import { AutomatedRule } from "../automation/AutomatedRule";
import { rest } from "../state/saving";
import { NO_PARAMS, useBench } from "../state/store";
import { BranchSolo } from "../chain/BranchSolo";
import { setBranch } from "../tree/splits";
import { nameOfHome } from "../tree/tree";
import { formatValue } from "../ui/format";
import { Needle } from "../ui/meterBallistics";
import { colour, useMovingCanvas } from "../ui/useCanvas";
import { heardNow } from "../state/useLiveReadings";

/** A branch's fader: level, pan, width, what it gives at the moment, alone or left out for the ear. */
export function BranchStrip({ branch }: { branch: Branch }) {
  const params = useBench((s) => s.stages?.shared.branch ?? NO_PARAMS);
  const name = branch.name || branch.id;
  const stages = branch.chain.length;
  return (
    <section
      aria-label={`Branch ${name}`}
      className="grid grid-cols-[110px_44px_1fr_1fr_1fr_84px] items-start gap-x-4 border-t border-line pt-[6px]"
    >
      <span className="min-w-0">
        <b className="block truncate font-[640]">{name}</b>
        <span className="block text-[11px] text-mute">
          {stages === 0 ? "no stage" : stages === 1 ? "1 stage" : `${stages} stages`}
          {branch.muted ? ", muted" : ""}
        </span>
      </span>
      <span className="pt-[2px]">
        <BranchSolo id={branch.id} name={name} />
      </span>
      {params.map((param) =>
        param.type === "number" ? <Fader key={param.name} branch={branch} param={param} /> : null,
      )}
      <Meter id={branch.id} name={name} />
    </section>
  );
}

type Faded = "gain_db" | "pan" | "width";

function Fader({ branch, param }: { branch: Branch; param: Param }) {
  return (
    <AutomatedRule
      target={branch.id}
      path={param.name}
      param={param}
      value={branch[param.name as Faded]}
      onMove={(value) => {
        const { recipe } = useBench.getState();
        if (!recipe) return;
        const label = `${nameOfHome(recipe, branch.id)}: ${param.label.toLowerCase()} ${formatValue(param, value)}`;
        edit(setBranch(recipe, branch.id, { [param.name]: value }), label);
      }}
      onRest={rest}
    />
  );
}

const LOWEST_DB = -48;

/** What leaves a branch, its highest held for a while. */
function Meter({ id, name }: { id: string; name: string }) {
  const needle = useRef(new Needle());
  const ref = useMovingCanvas((context, width, height) => {
    const levels = useBench.getState().playing ? heardNow()?.meters.stages[id]?.output_db : undefined;
    needle.current.rise(levels?.length ? Math.max(...levels) : -200, performance.now() / 1000);
    const x = (db: number) => (1 - Math.max(LOWEST_DB, Math.min(0, db)) / LOWEST_DB) * width;
    context.fillStyle = colour("trough");
    context.fillRect(0, 0, width, height);
    context.fillStyle = colour("rim");
    context.fillRect(0, 0, x(needle.current.level), height);
    context.fillStyle = colour("copper");
    if (needle.current.held > LOWEST_DB) context.fillRect(x(needle.current.held) - 2, 0, 2, height);
  });
  return <canvas ref={ref} role="img" aria-label={`Level of ${name}`} className="mt-[8px] h-[9px] w-full" />;
}
