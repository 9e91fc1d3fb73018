import { describe, expect, it } from "vitest";
import { calmed, energyDb, indexOf, noteName, SPECTRUM_HZ } from "./spectrum";

describe("the live spectrum", () => {
  it("finds a frequency's place", () => {
    for (const hz of [8, 100, 1000, 22000]) expect(SPECTRUM_HZ[indexOf(hz)]! / hz).toBeCloseTo(1, 1);
  });

  it("adds energies up", () => {
    const row = Float32Array.from(SPECTRUM_HZ, (hz) => (hz < 200 ? -20 : -140));
    expect(energyDb([row, row], 8, 180)).toBeGreaterThan(0);
    expect(energyDb([row, row], 1000, 2000)).toBeLessThan(-100);
  });

  it("calms a picture and lets peaks come up sooner than they fall", () => {
    const [low, high] = [Float32Array.of(-60), Float32Array.of(-20)];
    const up = calmed(low, high, 0.5)[0]!;
    const down = calmed(high, low, 0.5)[0]!;
    expect(up - -60).toBeGreaterThan(-20 - down);
    expect(calmed(undefined, high, 1)).toEqual(high);
  });

  it("names notes", () => {
    expect([440, 261.63, 41.2].map(noteName)).toEqual(["A4", "C4", "E1"]);
  });
});
