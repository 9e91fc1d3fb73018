import type { Stage } from "../api/types";
import { toggle } from "./acts";

interface Props {
  stage: Stage;
  title: string;
  /** where its middle lies on the row */
  left: number;
  top: number;
}

const SIZE_PX = 15;

/** The dot on the rail that turns a stage off, or on again. */
export function StageSwitch({ stage, title, left, top }: Props) {
  return (
    <button
      type="button"
      role="switch"
      aria-checked={stage.on}
      aria-label={`${title} on`}
      title={stage.on ? "Switch off" : "Switch on"}
      onClick={() => toggle(stage.id)}
      style={{ left: left - SIZE_PX / 2, top: top - SIZE_PX / 2, width: SIZE_PX, height: SIZE_PX }}
      className={`absolute z-10 rounded-full border-2 border-rim ${stage.on ? "bg-rim" : "bg-enamel"}`}
    />
  );
}
