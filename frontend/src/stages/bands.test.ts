import { describe, expect, it } from "vitest";
import { addBand, changeBand, copyToOther, heldGain, heldHz, plotOf, rangeOf, reachDb } from "./bands";

describe("the bands of an equalizer", () => {
  it("get names of their own", () => {
    const one = addBand([], { hz: 100 });
    const two = addBand(one.bands, { hz: 200 });
    expect(two.bands.map(({ id }) => id)).toEqual(["b1", "b2"]);
    expect(addBand(two.bands.slice(1), {}).id).toBe("b1");
  });

  it("are copied to the other component, a stereo one by splitting it", () => {
    const { bands, id } = addBand([], { hz: 3400, gain_db: -2, channels: "mid" });
    expect(copyToOther(bands, id).bands.map(({ channels }) => channels)).toEqual(["mid", "side"]);
    const stereo = changeBand(bands, id, { channels: "stereo" });
    expect(copyToOther(stereo, id).bands.map(({ channels }) => channels)).toEqual(["mid", "side"]);
  });

  it("never leave what is allowed", () => {
    expect(heldHz(3, 96000)).toBe(10);
    expect(heldHz(99999, 96000)).toBe(24000);
    expect(heldHz(99999, 48000)).toBe(23520);
    expect(heldGain(-99)).toBe(-24);
    expect(heldGain(1.26)).toBe(1.3);
  });

  it("stand in a plot that is there", () => {
    expect(plotOf({ channels: "side" }, ["mid", "side"])).toBe("side");
    expect(plotOf({ channels: "stereo" }, ["mid", "side"])).toBe("mid");
  });

  it("give the axis the room it needs", () => {
    const band = addBand([], { gain_db: 9 }).bands;
    expect(reachDb([])).toBe(6);
    expect(reachDb(band)).toBe(12);
  });

  it("have a range to be heard alone", () => {
    const band = addBand([], { hz: 1000, q: 1.414 }).bands[0]!;
    const { low_hz, high_hz } = rangeOf(band);
    expect(high_hz / low_hz).toBeCloseTo(2, 1);
  });
});
