import type { Stage } from "../api/types";
import { setParam } from "../state/editing";
import { edit } from "../state/edits";
import { kindInfo, useBench } from "../state/store";
import { movedCorner } from "../tree/splits";
import { formatHz } from "../ui/format";
import type { Axis } from "../ui/scale";
import { CARRIED } from "../ui/scale";
import type { Frame } from "../plots/plot";
import { Crossover } from "./Crossover";

interface Props {
  stage: Extract<Stage, { params: { crossovers_hz: number[] } }>;
  frame: Frame;
  axis: Axis;
}

/** The crossovers of a stage over its picture; each stays between its neighbours. */
export function Crossovers({ stage, frame, axis }: Props) {
  const rateHz = useBench((s) => s.song!.rate_hz);
  const corners = stage.params.crossovers_hz;
  return corners.map((hz, index) => (
    <Crossover
      key={index}
      hz={hz}
      number={index + 1}
      frame={frame}
      axis={axis}
      onMove={(next) => {
        const { recipe } = useBench.getState();
        if (!recipe) return;
        const moved = movedCorner(corners, index, next, CARRIED * rateHz);
        edit(
          setParam(recipe, stage.id, "crossovers_hz", moved),
          `${kindInfo(stage.kind)?.title ?? ""}: crossover ${index + 1} at ${formatHz(moved[index]!)}`,
        );
      }}
    />
  ));
}
