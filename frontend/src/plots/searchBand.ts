/** A narrow band that one hears alone, swept to find what sticks out. */
import { listenAs } from "../state/listening";

const HALF_OCTAVES = 1 / 4;

export function hearBandAround(hz: number): void {
  const half = 2 ** HALF_OCTAVES;
  listenAs({
    range: "band",
    low_hz: Math.max(8, Math.round((hz / half) * 10) / 10),
    high_hz: Math.min(24000, Math.max(16, Math.round(hz * half * 10) / 10)),
  });
}
