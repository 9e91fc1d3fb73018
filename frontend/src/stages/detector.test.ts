import { describe, expect, it, vi } from "vitest";

vi.hoisted(() => {
  Object.assign(globalThis, {
    localStorage: { getItem: () => null, setItem: () => undefined },
    window: globalThis,
  });
});
vi.mock("../state/listening", () => ({ listen: vi.fn() }));

const { heldFilterGain, heldFilterHz, heldFilterQ, isPass } = await import("./detector");

describe("a detector filter's pin", () => {
  it("stays inside what the recipe allows", () => {
    expect([3, 123.456, 99999].map((hz) => heldFilterHz(hz, 48000))).toEqual([20, 123.5, 20000]);
    expect(heldFilterHz(99999, 32000)).toBe(15680);
    expect([heldFilterGain(-99), heldFilterGain(1.26), heldFilterGain(99)]).toEqual([-24, 1.3, 24]);
    expect([heldFilterQ(0), heldFilterQ(0.70711), heldFilterQ(99)]).toEqual([0.1, 0.707, 40]);
  });

  it("has no gain where it is a pass", () => {
    const filter = { kind: "high_pass", hz: 100, q: 0.7, gain_db: 0, slope: 12 } as const;
    expect(isPass(filter)).toBe(true);
    expect(isPass({ ...filter, kind: "bell" })).toBe(false);
  });
});
