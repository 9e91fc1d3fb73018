/** Edits of an equalizer's bands, and where their pins stand: pure. */
import type { Band, Channels } from "../api/types";
import { formatDb, formatHz } from "../ui/format";
import { CARRIED } from "../ui/scale";

export const MOST_BANDS = 16;
const HZ_LOW = 10;
const HZ_HIGH = 24000;

export const SHAPES: { value: Band["shape"]; label: string }[] = [
  { value: "bell", label: "bell" },
  { value: "low_shelf", label: "low shelf" },
  { value: "high_shelf", label: "high shelf" },
  { value: "tilt", label: "tilt" },
  { value: "notch", label: "notch" },
  { value: "high_pass", label: "high-pass" },
  { value: "low_pass", label: "low-pass" },
  { value: "band_pass", label: "band-pass" },
];

export function hasGain(band: Pick<Band, "shape">): boolean {
  return ["bell", "low_shelf", "high_shelf", "tilt"].includes(band.shape);
}

export function isPass(band: Pick<Band, "shape">): boolean {
  return band.shape === "high_pass" || band.shape === "low_pass";
}

function freshBandId(bands: readonly Band[]): string {
  const taken = new Set(bands.map(({ id }) => id));
  for (let number = 1; ; number++) if (!taken.has(`b${number}`)) return `b${number}`;
}

export function addBand(bands: readonly Band[], fields: Partial<Band>): { bands: Band[]; id: string } {
  const id = freshBandId(bands);
  const band: Band = {
    id,
    on: true,
    shape: "bell",
    hz: 1000,
    gain_db: 0,
    q: 1,
    slope: 12,
    channels: "stereo",
    ...fields,
  };
  return { bands: [...bands, band], id };
}

export function changeBand(bands: readonly Band[], id: string, fields: Partial<Band>): Band[] {
  return bands.map((band) => (band.id === id ? { ...band, ...fields } : band));
}

const OPPOSITE: Record<Channels, Channels> = {
  stereo: "stereo",
  mid: "side",
  side: "mid",
  left: "right",
  right: "left",
};

/** The same move on the other component; a stereo one becomes two. */
export function copyToOther(bands: readonly Band[], id: string): { bands: Band[]; id: string } {
  const band = bands.find((one) => one.id === id);
  if (!band || bands.length >= MOST_BANDS) return { bands: [...bands], id };
  const rest: Partial<Band> = { ...band };
  delete rest.id;
  if (band.channels === "stereo") {
    const split = changeBand(bands, id, { channels: "mid" });
    return addBand(split, { ...rest, channels: "side" });
  }
  return addBand(bands, { ...rest, channels: OPPOSITE[band.channels] });
}

/** A frequency that a band may have in a song of a rate. */
export function heldHz(hz: number, rateHz: number): number {
  const high = Math.min(HZ_HIGH, CARRIED * rateHz);
  const held = Math.max(HZ_LOW, Math.min(high, hz));
  return Math.min(high, Number(held.toPrecision(4)));
}

export function heldGain(gain_db: number): number {
  return Math.round(Math.max(-24, Math.min(24, gain_db)) * 10) / 10;
}

export function heldQ(q: number): number {
  return Number(Math.max(0.1, Math.min(40, q)).toPrecision(3));
}

/** Which plot a band's pin stands in. */
export function plotOf(band: Pick<Band, "channels">, plots: readonly Channels[]): Channels {
  return plots.includes(band.channels) ? band.channels : (plots[0] ?? "stereo");
}

/** Half the reach of the gain axis: enough for the strongest move, never less than 6 dB. */
export function reachDb(bands: readonly Band[]): number {
  const most = Math.max(0, ...bands.filter(hasGain).map((band) => Math.abs(band.gain_db)));
  return most <= 5.5 ? 6 : most <= 11.5 ? 12 : 24;
}

/** The range that a band works on, for hearing it alone. */
export function rangeOf(band: Pick<Band, "shape" | "hz" | "q">): { low_hz: number; high_hz: number } {
  if (band.shape === "high_shelf" || band.shape === "low_pass") return { low_hz: band.hz, high_hz: 22000 };
  if (band.shape === "low_shelf" || band.shape === "high_pass") return { low_hz: 16, high_hz: band.hz };
  const half = Math.max(1 / 6, Math.asinh(1 / (2 * band.q)) / Math.LN2);
  return {
    low_hz: Math.max(16, Math.round(band.hz / 2 ** half)),
    high_hz: Math.min(22000, Math.round(band.hz * 2 ** half)),
  };
}

export function bandWords(band: Band): string {
  const figures = [formatHz(band.hz)];
  if (hasGain(band)) figures.push(formatDb(band.gain_db, true));
  if (isPass(band)) figures.push(`${band.slope} dB/oct`);
  else figures.push(`Q ${band.q}`);
  return figures.join(" · ");
}

/** The same for a card that is narrow. */
export function cardWords(band: Band): string {
  return hasGain(band) ? `${formatHz(band.hz)} · ${formatDb(band.gain_db, true)}` : bandWords(band);
}
