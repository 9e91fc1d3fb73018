import { describe, expect, it } from "vitest";
import { dragged, frameAt, loopEdgeAt, STRIPS_TOP, withEdge, xOf, zoneAt } from "./geometry";

describe("the song map", () => {
  it("goes from places to frames and back", () => {
    for (const frame of [0, 1234, 48000]) expect(frameAt(xOf(frame, 900, 48000), 900, 48000)).toBe(frame);
    expect(frameAt(-50, 900, 48000)).toBe(0);
    expect(frameAt(5000, 900, 48000)).toBe(48000);
  });

  it("tells a drag from a click, in either direction", () => {
    expect(dragged(100, 102, 1000, 1000)).toBeNull();
    expect(dragged(100, 300, 1000, 1000)).toEqual([100, 300]);
    expect(dragged(300, 100, 1000, 1000)).toEqual([100, 300]);
  });

  it("finds the nearer edge of a loop", () => {
    expect(loopEdgeAt(102, [100, 108], 1000, 1000)).toBe(0);
    expect(loopEdgeAt(107, [100, 108], 1000, 1000)).toBe(1);
    expect(loopEdgeAt(50, [100, 200], 1000, 1000)).toBeNull();
  });

  it("never turns a loop inside out", () => {
    const [start, end] = withEdge([1000, 5000], 0, 9000, 48000, 48000);
    expect(start).toBeLessThan(end);
    expect(withEdge([1000, 5000], 1, 99999, 48000, 48000)).toEqual([1000, 48000]);
  });

  it("knows its rows", () => {
    expect(zoneAt(5, 2).kind).toBe("section");
    expect(zoneAt(60, 2).kind).toBe("wave");
    expect(zoneAt(STRIPS_TOP + 15, 2)).toEqual({ kind: "strip", strip: 1 });
    expect(zoneAt(STRIPS_TOP + 60, 2).kind).toBe("wave");
  });
});
