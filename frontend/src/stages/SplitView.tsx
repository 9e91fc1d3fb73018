import { paramInfo, useBench } from "../state/store";
import { divide, moreBranches, refine, WAYS } from "../chain/stageActions";
import type { Split } from "../tree/splits";
import { Segments } from "../ui/Segments";
import { BranchStrip } from "./BranchStrip";
import { SpectrumTools } from "../plots/SpectrumTools";
import { SplitPicture } from "./SplitPicture";

/** A split: what it divides by, its crossovers on the spectrum, a fader a branch. */
export default function SplitView({ stage }: { stage: Split }) {
  const { by, branches } = stage.params;
  const resolution = paramInfo("split", "resolution_ms");
  const most = useBench((s) => s.stages?.split.parts[by].most ?? 0);
  return (
    <div className="grid h-full min-h-0 grid-cols-[minmax(0,1fr)] grid-rows-[26px_minmax(130px,1fr)_minmax(0,max-content)] gap-y-2">
      <div className="tools">
        <Segments
          label="Split by"
          value={by}
          options={WAYS.map(({ by: value, label }) => ({ value, label }))}
          onChange={(next) => divide(stage.id, next)}
        />
        {by === "percussive" && resolution && (
          <Segments
            label="Resolution, ms"
            value={String(stage.params.resolution_ms)}
            options={resolution.choices.map((ms) => ({ value: String(ms), label: `${ms} ms` }))}
            onChange={(next) => refine(stage.id, Number(next))}
          />
        )}
        <SpectrumTools />
        {branches.length < most && (
          <button
            type="button"
            className="plain shrink-0 whitespace-nowrap"
            onClick={() => moreBranches(stage.id)}
          >
            + branch
          </button>
        )}
        <span className="cap min-w-0 truncate">filled: input</span>
      </div>
      <SplitPicture stage={stage} />
      <div className="flex min-h-0 flex-col gap-y-1 overflow-y-auto px-1 pb-2">
        {branches.map((branch) => (
          <BranchStrip key={branch.id} branch={branch} />
        ))}
      </div>
    </div>
  );
}
