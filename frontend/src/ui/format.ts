/** Numbers with their units, as an engineer writes and types them. */
import type { Param } from "../api/types";

const MINUS = "−";

export function withMinus(text: string): string {
  return text.replace("-", MINUS);
}

export function formatHz(hz: number): string {
  return hz < 1000 ? `${trim(hz, 3)} Hz` : `${trim(hz / 1000, 3)} kHz`;
}

function formatMs(ms: number): string {
  return ms < 1000 ? `${trim(ms, 3)} ms` : `${trim(ms / 1000, 3)} s`;
}

const SILENCE_DB = -150;

/** One decimal, a plus sign where it is asked for; a dash for what is unknown or silent. */
export function formatDb(db: number | null | undefined, signed = false, unit = " dB"): string {
  if (db === null || db === undefined || db <= SILENCE_DB) return "—";
  const text = Math.abs(db).toFixed(1);
  const sign = db < 0 && text !== "0.0" ? MINUS : signed && text !== "0.0" ? "+" : "";
  return `${sign}${text}${unit}`;
}

export function formatTime(seconds: number, decimals = 0): string {
  const safe = Math.max(0, seconds);
  const minutes = Math.floor(safe / 60);
  const rest = (safe - minutes * 60).toFixed(decimals);
  return Number(rest) >= 60
    ? `${minutes + 1}:${(0).toFixed(decimals).padStart(decimals ? decimals + 3 : 2, "0")}`
    : `${minutes}:${rest.padStart(decimals ? decimals + 3 : 2, "0")}`;
}

/** Day and time as ISO 8601 writes them, by the clock on the wall: `2026-11-25 21:46`. */
export function formatMoment(moment: string | Date): string {
  const at = new Date(moment);
  const two = (number: number) => String(number).padStart(2, "0");
  const day = `${at.getFullYear()}-${two(at.getMonth() + 1)}-${two(at.getDate())}`;
  return `${day} ${two(at.getHours())}:${two(at.getMinutes())}`;
}

function trim(value: number, digits: number): string {
  return String(Number(value.toPrecision(digits)));
}

/** Whether a value is a part of a whole, or up to twice as much. */
function isShare({ unit, low, high }: Pick<Param, "unit" | "low" | "high">): boolean {
  return !unit && low === 0 && (high === 1 || high === 2);
}

const SIGNED = new Set(["makeup_db", "gain_db"]);

/** A parameter's value with its unit. */
export function formatValue(param: Pick<Param, "name" | "unit" | "low" | "high">, value: number): string {
  if (param.unit === "Hz") return formatHz(value);
  if (param.unit === "ms") return formatMs(value);
  if (param.unit === "dB") return formatDb(value, SIGNED.has(param.name));
  if (param.unit === ": 1") return `${trim(value, 3)} : 1`;
  if (isShare(param)) return `${Math.round(value * 100)} %`;
  if (param.low === -1 && param.high === 1)
    return value === 0 ? "middle" : `${Math.round(Math.abs(value) * 100)} % ${value < 0 ? "left" : "right"}`;
  return withMinus(trim(value, 3)) + (param.unit ? ` ${param.unit}` : "");
}

/** Any value of a parameter in words: a number with its unit, a switch, a choice. */
export function tellValue(
  param: Pick<Param, "name" | "unit" | "low" | "high">,
  value: number | boolean | string,
): string {
  if (typeof value === "number") return formatValue(param, value);
  return typeof value === "boolean" ? (value ? "on" : "off") : value.replaceAll("_", " ");
}

/** A tick's label: short, without a unit. */
export function formatTick(param: Pick<Param, "unit" | "low" | "high">, value: number): string {
  if (isShare(param)) return String(Math.round(value * 100));
  if (param.low === -1 && param.high === 1 && !param.unit)
    return value === 0 ? "0" : value < 0 ? `L${Math.round(-value * 100)}` : `R${Math.round(value * 100)}`;
  if (value >= 1000) return `${trim(value / 1000, 3)}k`;
  return withMinus(trim(value, 3));
}

/** What may be typed behind a number, by the unit of the parameter. */
const UNITS: Record<string, string[]> = {
  Hz: ["k", "khz", "hz"],
  ms: ["ms", "s"],
  dB: ["db"],
  ": 1": [": 1", ":1", "x"],
  "": ["%", "x"],
  s: ["s"],
  oct: ["oct"],
  "dB/oct": ["db/oct"],
};

/** What was typed, in the parameter's unit: `1.2k`, `1.2 kHz`, `180 ms`, `1.5 s`, `−18 dB`, `2:1`, `50 %`; null if none. */
export function parseValue(param: Pick<Param, "unit" | "low" | "high">, text: string): number | null {
  const clean = text.trim().toLowerCase().replace(MINUS, "-").replace(",", ".");
  const found = /^([+-]?\d*\.?\d+)\s*(k|khz|hz|ms|s|db|%|: ?1|:1|x)?$/.exec(clean);
  if (!found) return null;
  const number = Number(found[1]);
  const unit = found[2] ?? "";
  if (unit && !UNITS[param.unit]?.includes(unit)) return null;
  if (unit.startsWith("k")) return number * 1000;
  if (unit === "s") return number * 1000;
  const share = !param.unit && (param.high === 1 || isShare(param));
  if (share && (unit === "%" || Math.abs(number) > param.high!)) return number / 100;
  return number;
}
