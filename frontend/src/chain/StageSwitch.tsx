import { toggle } from "./stageActions";

interface Props {
  id: string;
  on: boolean;
  title: string;
  /** where its middle lies on the row */
  left: number;
  top: number;
}

const SIZE_PX = 15;

/** The dot on the rail that turns a stage off, or on again. */
export function StageSwitch({ id, on, title, left, top }: Props) {
  return (
    <button
      type="button"
      role="switch"
      aria-checked={on}
      aria-label={`${title} on`}
      title={on ? "Switch off" : "Switch on"}
      onClick={() => toggle(id)}
      style={{ left: left - SIZE_PX / 2, top: top - SIZE_PX / 2, width: SIZE_PX, height: SIZE_PX }}
      className={`absolute z-10 rounded-full border-2 border-rim ${on ? "bg-rim" : "bg-enamel"}`}
    />
  );
}
