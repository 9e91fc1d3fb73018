import { expect, test } from "vitest";
import { noteValue } from "./noteValue";

test("durations are called by the note that lasts as long", () => {
  const at = (ms: number) => noteValue(ms, { bpm: 120 });
  expect([500, 250, 375, 1000 / 3, 31.25].map(at)).toEqual([
    "1/4",
    "1/8",
    "1/8 dotted",
    "1/4 triplet",
    "1/64",
  ]);
  expect(at(515)).toBe("1/4");
  expect(at(440)).toBe("");
  expect(at(1)).toBe("");
});
