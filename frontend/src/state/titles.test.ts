import { describe, expect, it } from "vitest";
import { sharedTitle } from "./titles";

describe("the title of several files", () => {
  it("is what all names begin with", () => {
    expect(sharedTitle(["Pilot Light drums.wav", "Pilot Light bass.wav"])).toBe("Pilot Light");
    expect(sharedTitle(["Pilot_Light_drums.wav", "Pilot_Light_keys.wav"])).toBe("Pilot Light");
  });

  it("is empty where nothing is shared, and never a whole name", () => {
    expect(sharedTitle(["drums.wav", "bass.wav"])).toBe("");
    expect(sharedTitle(["drums.wav", "drums.wav"])).toBe("");
  });
});
