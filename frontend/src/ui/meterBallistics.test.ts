import { expect, test } from "vitest";
import { Needle } from "./meterBallistics";

test("a meter rises at once, falls 20 dB a second and holds its peak for two", () => {
  const needle = new Needle();
  needle.rise(-6, 1);
  expect([needle.level, needle.held]).toEqual([-6, -6]);
  needle.rise(-60, 2);
  expect([needle.level, needle.held]).toEqual([-26, -6]);
  needle.rise(-60, 2.9);
  expect(needle.held).toBe(-6);
  needle.rise(-60, 3.1);
  expect(needle.held).toBe(-60);
  needle.rise(-3, 3.2);
  expect([needle.level, needle.held]).toEqual([-3, -3]);
});
