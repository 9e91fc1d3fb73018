/** What slows down the live sound, by its figures: the chain, the machine, the browser or the network. */

export interface Vitals {
  /** shares of the time there is, in percent: of the clock, and of the processor's own */
  load: number;
  work: number;
  roundTripMs: number;
  /** how often the browser called for sound too late */
  lateCalls: number;
  underruns: number;
  /** a rendered loop is played */
  fromMemory: boolean;
}

export type Cause = "chain" | "machine" | "network" | "browser" | null;

export interface Diagnosis {
  cause: Cause;
  message: string;
  remedy: string | null;
}

const HEAVY_PERCENT = 70;
const BUSY_PERCENT = 40;
const BUSY_RATIO = 1.7;
const FAR_MS = 120;

export function diagnose({ load, work, roundTripMs, lateCalls, underruns, fromMemory }: Vitals): Diagnosis {
  if (work >= HEAVY_PERCENT && !fromMemory)
    return {
      cause: "chain",
      message: `This chain takes ${Math.round(work)} % of the processor's time.`,
      remedy: "Set a loop: it is rendered before it plays. Or bypass a stage.",
    };
  if (load >= BUSY_PERCENT && load >= BUSY_RATIO * work)
    return {
      cause: "machine",
      message: `Other programs take the machine: rendering waits ${Math.round(100 - (100 * work) / load)} % of its time.`,
      remedy: "Close what computes, or choose a longer queue.",
    };
  if (roundTripMs >= FAR_MS)
    return {
      cause: "network",
      message: `The network takes ${Math.round(roundTripMs)} ms there and back: moves are heard that much later.`,
      remedy: "Use a cable, or run Tin Kettle on this machine.",
    };
  if (lateCalls > 0)
    return {
      cause: "browser",
      message: `The browser asked for sound too late ${lateCalls === 1 ? "once" : `${lateCalls} times`}.`,
      remedy: "Close other tabs and windows of the browser.",
    };
  const message = underruns > 0 ? "Nothing is slow now." : "Nothing is slow.";
  return { cause: null, message, remedy: null };
}
