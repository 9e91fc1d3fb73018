import { describe, expect, it } from "vitest";
import type { Item, Param } from "../api/types";
import { partEdits } from "./partEdits";
import { bandsTotal, Farthest, movedCurve, summed } from "./curves";

describe("curves that move", () => {
  it("bands in phase add up to nothing where none has a gain, and each to its own where it is alone", () => {
    const half = 20 * Math.log10(0.5);
    const bands = [
      [0, half, -120],
      [-120, half, 0],
    ];
    expect(bandsTotal(bands, [0, 0])[1]).toBeCloseTo(0, 9);
    expect(bandsTotal(bands, [-6, 3])[0]).toBeCloseTo(-6, 4);
    expect(bandsTotal(bands, [-6, 3])[2]).toBeCloseTo(3, 4);
  });

  it("a pin stands between its rest and its reach, never beyond", () => {
    expect(movedCurve([1, 0], [-5, 0], -6, -3)).toEqual([-2, 0]);
    expect(movedCurve([1, 0], [-5, 0], -6, -9)).toEqual([-5, 0]);
    expect(movedCurve([1], [1], 0, -9)).toEqual([1]);
    expect(summed([[1, 2], [3]], 2)).toEqual([4, 2]);
  });

  it("the farthest stays for a moment and comes back", () => {
    const farthest = new Farthest();
    expect(farthest.take(-6, 0)).toBe(-6);
    expect(farthest.take(-1, 1)).toBe(-6);
    let last = -6;
    for (let at = 0; at < 90; at++) last = farthest.take(-1, 2 + at / 30);
    expect(last).toBe(-1);
  });
});

describe("parts", () => {
  const parts = [
    { id: "a", threshold_db: -20, attack_ms: 10 },
    { id: "b", threshold_db: -58, attack_ms: 100 },
  ] as unknown as Item[];
  const param = (name: string, scale: string, low: number, high: number) =>
    ({ name, scale, low, high, type: "number" }) as unknown as Param;
  const threshold = param("threshold_db", "linear", -60, 0);

  it("are changed one by one, or all by as much within their range", () => {
    expect(partEdits(parts, "a", threshold, -26, false)).toMatchObject([
      { threshold_db: -26 },
      { threshold_db: -58 },
    ]);
    expect(partEdits(parts, "a", threshold, -26, true)).toMatchObject([
      { threshold_db: -26 },
      { threshold_db: -60 },
    ]);
    const times = partEdits(parts, "a", param("attack_ms", "log", 0.05, 300), 20, true);
    expect(times).toMatchObject([{ attack_ms: 20 }, { attack_ms: 200 }]);
  });
});
