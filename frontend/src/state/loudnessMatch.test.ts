import { expect, test } from "vitest";
import { estimated, matchWords, pairOf, UNKNOWN, UNMATCHED, withoutNow } from "./loudnessMatch";

const MATCHED = {
  gains_db: { now: -4, received: 0, "version:1": -1, "without:hold": -3 },
  integrated_lufs: { now: -13, received: -17, "version:1": -16, "without:hold": -14 },
};

test("whatever now is compared with, its own gain stays the same", () => {
  for (const other of ["received", "version:1", "without:hold"]) {
    const pair = pairOf(MATCHED, other, UNMATCHED);
    expect(pair.now_db).toBe(-4);
    expect(pair.estimate).toBe(false);
  }
});

test("after an edit the others keep their gains, and now stays where it was until it is estimated", () => {
  const before = pairOf(MATCHED, "received", UNMATCHED);
  const known = withoutNow(MATCHED);
  expect(Object.keys(known.gains_db)).toEqual(["received", "version:1"]);
  const pair = pairOf(known, "received", before);
  expect(pair).toEqual({ other_db: 0, now_db: -4, estimate: true });
  expect(estimated(pair, { other_db: 0, now_db: -4.1 })).toBe(pair);
  expect(estimated(pair, { other_db: 0, now_db: -6 }).now_db).toBe(-6);
  expect(estimated(pair, { other_db: 0, now_db: -4.2 }, true).now_db).toBe(-4.2);
  expect(estimated(before, { other_db: 0, now_db: -6 })).toBe(before);
});

test("what no survey knows yet begins at the gain of now", () => {
  expect(pairOf(MATCHED, "version:2", UNMATCHED)).toEqual({ other_db: -4, now_db: -4, estimate: true });
  expect(pairOf(UNKNOWN, "received", UNMATCHED)).toEqual(UNMATCHED);
});

test("the one that goes down is named, and of two the one that is heard", () => {
  expect(matchWords({ other_db: 0, now_db: -3.2 }, true, "received")).toBe("now −3.2 dB");
  expect(matchWords({ other_db: 0, now_db: -3.2 }, false, "received")).toBe("now −3.2 dB");
  expect(matchWords({ other_db: -2, now_db: -3.2 }, false, "tide table")).toBe("tide table −2.0 dB");
  expect(matchWords({ other_db: -2, now_db: 0 }, true, "tide table")).toBe("tide table −2.0 dB");
  expect(matchWords({ other_db: 0, now_db: -3.2 }, true, "received", false)).toBe("now would go −3.2 dB");
});
