import { create } from "zustand";
import type { Stage } from "../api/types";
import { setParams } from "../state/editing";
import { edit } from "../state/edits";
import { AutomatedRule } from "../automation/AutomatedRule";
import { rest } from "../state/saving";
import { paramInfo, useBench } from "../state/store";
import { cornersFor } from "../tree/splits";
import { formatHz } from "../ui/format";
import { Controls } from "./Controls";
import { Segments } from "../ui/Segments";
import { ImagePicture, SHOWN_IN_WORDS } from "./ImagePicture";
import type { ImageShown } from "./ImagePicture";
import { ImageScope } from "./ImageScope";
import { Presets } from "./Presets";
import { useStageImage } from "./useStageImage";

type StereoStage = Extract<Stage, { kind: "stereo" }>;
const SHOWN = [
  { value: "change", label: "change" },
  { value: "share", label: "side level" },
  { value: "correlation", label: "correlation" },
] as const;
const useShown = create<{ shown: ImageShown }>(() => ({ shown: "share" }));
const MOST = 5;

function change(
  stage: StereoStage,
  values: Partial<StereoStage["params"]>,
  label: string,
  resting = false,
): void {
  const { recipe } = useBench.getState();
  if (recipe) edit(setParams(recipe, stage.id, values), `Stereo: ${label}`, resting);
}

/** The stage with so many ranges; one alone is the whole. */
function withRanges(stage: StereoStage, count: number): void {
  const { widths, crossovers_hz: corners } = stage.params;
  if (count < 2) change(stage, { widths: [], crossovers_hz: [] }, "one range", true);
  else {
    const made = [...widths, ...Array.from({ length: count }, () => 1)].slice(0, count);
    change(stage, { widths: made, crossovers_hz: cornersFor(corners, count) }, `${count} ranges`, true);
  }
}

/** How much of what differs between the sides is left over the spectrum; a width a range. */
export default function StereoView({ stage }: { stage: StereoStage }) {
  const { widths, crossovers_hz: corners } = stage.params;
  const width = paramInfo("stereo", "width");
  const edges = [20, ...corners, 20000];
  const count = Math.max(1, widths.length);
  const shown = useShown((s) => s.shown);
  const { image, settled } = useStageImage(stage.id);
  return (
    <div className="grid h-full min-h-0 grid-cols-[minmax(0,1fr)] grid-rows-[26px_minmax(120px,1fr)_auto_minmax(0,max-content)] gap-y-2">
      <div className="tools">
        <Presets id={stage.id} kind={stage.kind} />
        <button
          type="button"
          className="plain whitespace-nowrap"
          disabled={count >= MOST}
          onClick={() => withRanges(stage, count + 1)}
        >
          + range
        </button>
        <button
          type="button"
          className="plain whitespace-nowrap"
          disabled={count < 2}
          onClick={() => withRanges(stage, count - 1)}
        >
          − range
        </button>
        <Segments
          label="Picture"
          value={shown}
          options={SHOWN}
          onChange={(next) => useShown.setState({ shown: next })}
        />
        <span
          className={`min-w-0 truncate ${settled ? "" : "stale"}`}
          title={image?.words ?? SHOWN_IN_WORDS[shown]}
        >
          {image?.words}
        </span>
      </div>
      <div className="grid min-h-0 grid-cols-[minmax(0,1fr)_minmax(0,130px)_minmax(0,130px)] gap-[10px]">
        <ImagePicture stage={stage} shown={shown} image={image} />
        <ImageScope density={image?.before.density ?? []} label="as it comes" ink="tin" />
        <ImageScope density={image?.after.density ?? []} label="as it leaves" ink="plum" />
      </div>
      {widths.length > 0 && width && (
        <div
          className="grid gap-x-[18px] px-[4px]"
          style={{ gridTemplateColumns: `repeat(${count}, minmax(0, 1fr))` }}
        >
          {widths.map((value, index) => {
            const label = `${formatHz(edges[index]!)} to ${formatHz(edges[index + 1]!)}`;
            return (
              <AutomatedRule
                key={index}
                target={stage.id}
                path={`widths.${index}`}
                param={{ ...width, name: `width_${index}`, label }}
                value={value}
                onMove={(next) =>
                  change(
                    stage,
                    { widths: widths.map((own, i) => (i === index ? next : own)) },
                    `width, ${label}`,
                  )
                }
                onRest={rest}
              />
            );
          })}
        </div>
      )}
      <Controls stage={stage} />
    </div>
  );
}
