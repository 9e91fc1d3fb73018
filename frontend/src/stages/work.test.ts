import { describe, expect, it } from "vitest";
import { workInWords } from "./work";

describe("how often how much", () => {
  it("says the middle half and the strongest", () => {
    expect(workInWords([-1, -1, -2, -2, -2, -4])).toBe("mostly 1.0–2.0 dB, 4.0 at most");
  });

  it("says how much of the time where it rests", () => {
    expect(workInWords([0, 0, -1, -1])).toBe("mostly 1.0–1.0 dB, 50 % of the time, 1.0 at most");
    expect(workInWords([0, -0.01])).toBe("takes nothing off");
  });
});
