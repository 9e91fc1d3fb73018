import { paramLabel, setParam } from "../state/editing";
import { edit } from "../state/edits";
import { rest } from "../state/saving";
import { useShape } from "../state/recipeShape";
import { paramInfo, useBench } from "../state/store";
import { nameOfHome } from "../tree/tree";
import { formatDb } from "../ui/format";
import type { CompressorStage } from "./compressor";
import { useCompressorPicture } from "./compressor";
import { CompressorTools } from "./CompressorTools";
import { Controls } from "./Controls";
import { CurvePicture } from "./CurvePicture";
import { DetectorFilters } from "./DetectorFilters";
import { DetectorPicture } from "./DetectorPicture";
import { newReference } from "./holdGainReduction";
import { TimePicture } from "./TimePicture";

/** The compressor's curve or what its detector hears, and what it takes off over the passage. */
export default function CompressorView({ stage }: { stage: CompressorStage }) {
  const shows = useCompressorPicture((s) => s.shows);
  const picture = useBench((s) => s.described[stage.id]?.picture);
  const recipe = useShape();
  const { threshold_db: threshold, makeup_db: makeup, key, detector_filters: filters } = stage.params;
  const move = (db: number) => {
    const { recipe } = useBench.getState();
    const param = paramInfo("compressor", "threshold_db");
    if (!recipe || !param) return;
    edit(setParam(recipe, stage.id, "threshold_db", db), paramLabel("Bus compressor", param, db));
    newReference();
  };
  return (
    <div className="grid h-full min-h-0 grid-cols-[minmax(0,1fr)] grid-rows-[28px_minmax(96px,1fr)_minmax(0,max-content)_max-content] gap-y-[6px]">
      <CompressorTools id={stage.id} />
      <div className="grid min-h-0 grid-cols-[minmax(150px,190px)_1fr] gap-[10px]">
        {shows === "detector" ? (
          <DetectorPicture stage={stage.id} filters={filters} />
        ) : (
          <CurvePicture
            stage={stage.id}
            inDb={picture?.in_db ?? []}
            outDb={picture?.out_db ?? []}
            threshold={threshold}
            makeupDb={makeup}
            axis={{ low: -48, high: 0 }}
            ticks={[-48, -36, -24, -12, 0]}
          />
        )}
        <TimePicture
          stage={stage}
          heardIs={key ? `detector (${key.map((id) => nameOfHome(recipe, id)).join(", ")})` : "detector"}
          deepestDb={-60}
          level={{ db: threshold, label: formatDb(threshold), onMove: move, onRest: rest }}
          effortDb={4}
        />
      </div>
      <Controls stage={stage} />
      <DetectorFilters stage={stage.id} filters={filters} />
    </div>
  );
}
