import { describe, expect, it } from "vitest";
import { alongLadder, stepWords } from "./levelSteps";

const steps = [
  { stage: null, lufs: -18, true_peak_dbtp: -6 },
  { stage: "a", lufs: -14.5, true_peak_dbtp: 0.5 },
  { stage: "b", lufs: null, true_peak_dbtp: -200 },
];

describe("a ladder", () => {
  it("lies between its ends, silence at the foot", () => {
    expect([null, -200, -36, -15, 6, 20].map(alongLadder)).toEqual([0, 0, 0, 0.5, 1, 1]);
  });

  it("says what each stage did", () => {
    expect(stepWords(steps, 0)).toBe("−18.0 LUFS, true peak −6.0 dBTP");
    expect(stepWords(steps, 1)).toBe("−14.5 LUFS, true peak 0.5 dBTP: +3.5 LU, peak +6.5 dB by this stage");
    expect(stepWords(steps, 2)).not.toContain("by this stage");
  });
});
