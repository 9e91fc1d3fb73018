import type { Stage } from "../api/types";
import { setField } from "../bench/editing";
import { edit } from "../bench/edits";
import { useBench } from "../bench/store";

interface Props {
  stage: Stage;
  title: string;
  /** classes for its height on the row and its size */
  place: string;
  left: number;
}

/** The dot on the rail that turns a stage off, or on again. */
export function StageSwitch({ stage, title, place, left }: Props) {
  const turn = () => {
    const { recipe } = useBench.getState();
    if (recipe)
      edit(setField(recipe, stage.id, { on: !stage.on }), `${title} ${stage.on ? "off" : "on"}`, true);
  };
  return (
    <button
      type="button"
      role="switch"
      aria-checked={stage.on}
      aria-label={`${title} on`}
      title={stage.on ? "Switch off" : "Switch on"}
      onClick={turn}
      style={{ left }}
      className={`absolute z-10 rounded-full border-2 border-rim ${place} ${stage.on ? "bg-rim" : "bg-enamel"}`}
    />
  );
}
