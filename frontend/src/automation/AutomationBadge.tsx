import { useRiding } from "../state/automationRecording";

interface Props {
  target: string;
  path: string;
  label: string;
  /** whether the value is ridden */
  on: boolean;
}

/** Opens a value's table of sections: seen where it is ridden, else while one points at the control. */
export function AutomationBadge({ target, path, label, on }: Props) {
  return (
    <button
      type="button"
      // by keys it is opened with G, so that nobody has to pass it on every rule
      tabIndex={on ? 0 : -1}
      aria-label={`${label} by section`}
      title={`${label} by section (G)`}
      className={`px-[3px] leading-none font-bold text-rim hover:text-copper ${on ? "" : "-ml-[6px] -mr-[12px] opacity-0 group-hover/ride:opacity-100 focus-visible:opacity-100"}`}
      onPointerDown={(event) => event.stopPropagation()}
      onClick={(event) => {
        event.preventDefault();
        useRiding.setState({ table: { target, param: path } });
      }}
    >
      ∿
    </button>
  );
}
