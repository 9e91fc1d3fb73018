import { useState } from "react";
import { withMinus } from "./format";

interface Props {
  label: string;
  value: number;
  unit: string;
  low: number;
  high: number;
  /** What an arrow key moves it by; ten times as much with Shift. */
  step: number;
  decimals?: number;
  signed?: boolean;
  className?: string;
  onValue: (value: number) => void;
}

/** A number that is typed over where it stands; arrow keys step it, Enter takes it, Escape leaves it. */
export function InlineNumber(props: Props) {
  const { value, low, high, step, decimals = 1, signed, unit } = props;
  const [typed, setTyped] = useState<string | null>(null);
  const sign = signed && value > 0 ? "+" : "";
  const shown = `${sign}${withMinus(value.toFixed(decimals))} ${unit}`;
  const set = (next: number) => {
    const held = Math.round(Math.max(low, Math.min(high, next)) * 1000) / 1000;
    setTyped(null);
    if (held !== value) props.onValue(held);
  };
  const take = () => {
    // a number, and whatever unit was left behind it
    const clean = typed?.trim().replace(",", ".").replace("−", "-") ?? "";
    const found = /^[+-]?\d*\.?\d+/.exec(clean);
    if (found) set(Number(found[0]));
    else setTyped(null);
  };
  return (
    <input
      aria-label={props.label}
      inputMode="decimal"
      title={`${props.label}: type a number, or use the arrow keys`}
      className={`min-w-0 border border-transparent bg-transparent px-1 hover:border-line focus:border-rim focus:bg-well ${props.className ?? ""}`}
      value={typed ?? shown}
      onFocus={(event) => event.currentTarget.select()}
      onChange={(event) => setTyped(event.target.value)}
      onKeyDown={(event) => {
        event.stopPropagation();
        const by = { ArrowUp: 1, ArrowDown: -1 }[event.key];
        if (event.key === "Enter") event.currentTarget.blur();
        if (event.key === "Escape") setTyped(null);
        if (by === undefined) return;
        event.preventDefault();
        set(value + by * step * (event.shiftKey ? 10 : 1));
      }}
      onBlur={take}
    />
  );
}
