import type { CSSProperties, HTMLAttributes, ReactNode } from "react";
import type { Keys } from "./keySteps";
import { keySteps } from "./keySteps";

interface Props {
  label: string;
  low: number;
  high: number;
  value: number;
  /** the value in words */
  told: string;
  vertical?: boolean;
  keys: Keys;
  onRest: () => void;
  onFocus?: () => void;
  /** from `useDrag`; a handle without it lets the pointer through to what lies below */
  drag?: HTMLAttributes<HTMLElement>;
  className: string;
  style: CSSProperties;
  children?: ReactNode;
}

/** What can be held on a picture along one way, by hand and by keys. */
export function Handle(props: Props) {
  const { label, low, high, value, told, vertical = false, keys, onRest, onFocus, drag } = props;
  return (
    <span
      role="slider"
      tabIndex={0}
      aria-label={label}
      aria-orientation={vertical ? "vertical" : "horizontal"}
      aria-valuemin={low}
      aria-valuemax={high}
      aria-valuenow={value}
      aria-valuetext={told}
      {...drag}
      onFocus={onFocus}
      onBlur={onRest}
      onKeyDown={keySteps(keys)}
      onKeyUp={onRest}
      onDoubleClick={(event) => event.stopPropagation()}
      className={`absolute z-10 ${drag ? "touch-none" : "pointer-events-none"} ${props.className}`}
      style={props.style}
    >
      {props.children}
    </span>
  );
}
