import type { Stage } from "../api/types";
import { Controls } from "./Controls";
import { FilterPicture } from "./FilterPicture";

/** The filters' response over the music. */
export default function FilterView({ stage }: { stage: Extract<Stage, { kind: "filter" }> }) {
  return (
    <div className="grid h-full min-h-0 grid-cols-[minmax(0,1fr)] grid-rows-[minmax(130px,1fr)_minmax(0,max-content)] gap-y-2">
      <FilterPicture stage={stage} />
      <Controls stage={stage} />
    </div>
  );
}
