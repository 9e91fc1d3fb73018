import { expect, test } from "vitest";
import { diagnose, type Vitals } from "./slowness";

const quiet: Vitals = {
  load: 12,
  work: 10,
  roundTripMs: 2,
  lateCalls: 0,
  underruns: 0,
  fromMemory: false,
};

test.each<[string, Partial<Vitals>, string | null, RegExp]>([
  ["a quiet machine", {}, null, /^Nothing is slow\.$/],
  ["dropouts that are over", { underruns: 3 }, null, /Nothing is slow now/],
  ["a heavy chain", { load: 85, work: 80 }, "chain", /takes 80 % of the processor/],
  ["a heavy chain whose loop is rendered", { load: 85, work: 80, fromMemory: true }, null, /Nothing/],
  ["a busy machine", { load: 60, work: 20 }, "machine", /waits 67 % of its time/],
  ["a machine that is a little busy", { load: 20, work: 5 }, null, /Nothing/],
  ["a far server", { roundTripMs: 180 }, "network", /180 ms there and back/],
  ["a late browser", { lateCalls: 1 }, "browser", /too late once/],
  ["a browser that is late often", { lateCalls: 4 }, "browser", /4 times/],
  ["a heavy chain comes first", { work: 90, load: 200, roundTripMs: 300, lateCalls: 9 }, "chain", /90 %/],
])("%s", (_, vitals, cause, message) => {
  const found = diagnose({ ...quiet, ...vitals });
  expect(found.cause).toBe(cause);
  expect(found.message).toMatch(message);
  expect(found.remedy === null).toBe(cause === null);
});
