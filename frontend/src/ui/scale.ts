/** Where a value lies along a rule or the axis of a picture, and what lies at a place. */
import type { Param } from "../api/types";

/** What rules that belong to the bench alone have in common. */
export const BASE_RULE: Pick<Param, "type" | "scale" | "choices" | "unit" | "delays"> = {
  type: "number",
  scale: "linear",
  choices: [],
  unit: "",
  delays: false,
};

export interface Scaled {
  low: number;
  high: number;
  scale: "linear" | "log";
}

/** The share of a rate up to which recipes may name frequencies. */
export const CARRIED = 0.49;

/** A parameter as far as a song's rate carries it. */
export function carried(param: Param, rateHz: number): Param {
  const high = CARRIED * rateHz;
  if (param.unit !== "Hz" || param.high === null || param.high <= high) return param;
  return { ...param, high, ticks: param.ticks.filter((tick) => tick <= high) };
}

export interface Axis {
  low: number;
  high: number;
  /** equal ratios lie equally far apart */
  log?: boolean;
}

/** The share of an axis at which a value lies, also beyond its ends. */
export function along({ low, high, log }: Axis, value: number): number {
  return log ? Math.log(value / low) / Math.log(high / low) : (value - low) / (high - low);
}

/** What lies at a share of an axis. */
export function back({ low, high, log }: Axis, share: number): number {
  return log ? low * (high / low) ** share : low + share * (high - low);
}

const axisOf = ({ low, high, scale }: Scaled): Axis => ({ low, high, log: scale === "log" });

/** The share of a rule at which a value lies: nothing lies beyond its ends. */
export function toShare(scaled: Scaled, value: number): number {
  return Math.max(0, Math.min(1, along(axisOf(scaled), value)));
}

export function fromShare(scaled: Scaled, share: number): number {
  const at = Math.max(0, Math.min(1, share));
  if (at === 0) return scaled.low;
  if (at === 1) return scaled.high;
  return back(axisOf(scaled), at);
}

/** A value as fine as is worth showing: three figures on a log rule, a tenth of a dB, a hundredth of a share. */
export function rounded({ low, high, scale }: Scaled, value: number): number {
  const held = Math.max(low, Math.min(high, value));
  if (scale === "log") return Math.max(low, Math.min(high, Number(held.toPrecision(3))));
  const step = high - low <= 2 ? 0.01 : 0.1;
  return Number((Math.round(held / step) * step).toFixed(4));
}

/** One step of an arrow key: a hundredth of the rule, a tenth of that when fine, ten when coarse. */
export function stepped(
  scaled: Scaled,
  value: number,
  direction: number,
  size: "fine" | "plain" | "coarse",
): number {
  const share = { fine: 0.001, plain: 0.01, coarse: 0.1 }[size];
  const next = rounded(scaled, fromShare(scaled, toShare(scaled, value) + direction * share));
  if (next !== value) return next;
  const least = scaled.scale === "log" ? value * 0.002 : scaled.high - scaled.low <= 2 ? 0.01 : 0.1;
  return rounded(scaled, value + direction * Math.max(least, 0.001));
}

const RULE_PX = 138;
const CHARACTER_PX = 5;
const GAP_PX = 5;

/** Which ticks have room for their figure on a narrow rule: the ends first, then those that are not too near. */
export function withRoom<Mark extends { at: number; text: string }>(
  marks: Mark[],
): (Mark & { named: boolean })[] {
  const left = ({ at, text }: Mark) => {
    const width = ((text.length * CHARACTER_PX) / RULE_PX) * 100;
    return Math.max(0, Math.min(100 - width, at - width / 2));
  };
  const right = (mark: Mark) => left(mark) + ((mark.text.length * CHARACTER_PX) / RULE_PX) * 100;
  const gap = (GAP_PX / RULE_PX) * 100;
  const last = marks.at(-1);
  let free = -gap;
  return marks.map((mark, index) => {
    const fits = left(mark) >= free + gap && last !== undefined && right(mark) + gap <= left(last);
    const named = index === 0 || mark === last || fits;
    if (named) free = right(mark);
    return { ...mark, named };
  });
}
