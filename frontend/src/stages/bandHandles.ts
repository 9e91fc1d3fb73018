/** Edits of a dynamic equalizer's pins. */
import type { Stage } from "../api/types";
import { useBench } from "../state/store";
import { formatDb, formatHz } from "../ui/format";
import { changeParts, partsNow } from "./selectedPart";

export type PinStage = Extract<Stage, { kind: "dynamic_equalizer" }>;
export type Pin = PinStage["params"]["bands"][number];

export const MOST_PINS = 12;

const FRESH: Omit<Pin, "id"> = {
  on: true,
  shape: "bell",
  hz: 1000,
  q: 1,
  gain_db: 0,
  range_db: -6,
  when: "above",
  threshold_db: -24,
  ratio: 3,
  timing: "by_frequency",
  attack_ms: 10,
  release_ms: 100,
  channels: "stereo",
};

function pinsOf(stage: PinStage): readonly Pin[] {
  return partsNow(useBench.getState().recipe!, stage);
}

/** One more pin; returns its id. */
export function addPin(stage: PinStage, fields: Partial<Pin>): string {
  const pins = pinsOf(stage);
  let number = pins.length + 1;
  while (pins.some(({ id }) => id === `p${number}`)) number++;
  const pin: Pin = { ...FRESH, ...fields, id: `p${number}` };
  changeParts(stage, [...pins, pin], `band at ${formatHz(pin.hz)}`, true);
  return pin.id;
}

export function changePin(stage: PinStage, id: string, fields: Partial<Pin>, label: string): void {
  const pins = pinsOf(stage).map((pin) => (pin.id === id ? { ...pin, ...fields } : pin));
  changeParts(stage, pins, label);
}

export function removePin(stage: PinStage, id: string): void {
  const pins = pinsOf(stage);
  const number = pins.findIndex((pin) => pin.id === id) + 1;
  changeParts(
    stage,
    pins.filter((pin) => pin.id !== id),
    `band ${number} removed`,
    true,
  );
}

/** A pin in a few words, for its card. */
export function pinWords(pin: Pin): string {
  if (!pin.on) return "off";
  const rest = pin.gain_db ? `${formatDb(pin.gain_db, true)}, ` : "";
  if (pin.range_db === 0) return `${rest}stays`;
  return `${rest}${formatDb(pin.range_db, true)} ${pin.when} ${formatDb(pin.threshold_db)}`;
}
