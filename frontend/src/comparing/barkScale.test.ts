import { expect, it } from "vitest";
import { barkOf } from "./barkScale";

it("lies where the critical bands' tables have it", () => {
  // Zwicker 1961: 1 kHz at 8.5 Bark, 4 kHz at 17.5
  expect(barkOf(1000)).toBeCloseTo(8.5, 1);
  expect(barkOf(4000)).toBeGreaterThan(17.2);
  expect(barkOf(4000)).toBeLessThan(17.7);
});
