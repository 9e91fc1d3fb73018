import { describe, expect, it } from "vitest";
import { levelAxis, ticksOf, xAt, yAt, draggedRange } from "./plot";
import { along, back } from "../ui/scale";

describe("axes", () => {
  const hz = { low: 8, high: 24000, log: true };
  const db = { low: -48, high: 0 };
  const frame = { left: 30, top: 10, width: 200, height: 100 };

  it("go there and back", () => {
    for (const value of [8, 100, 3400, 24000]) expect(back(hz, along(hz, value))).toBeCloseTo(value, 6);
  });

  it("put low at the left and at the bottom", () => {
    expect(xAt(frame, hz, 8)).toBeCloseTo(30);
    expect(xAt(frame, hz, 24000)).toBeCloseTo(230);
    expect(yAt(frame, db, 0)).toBe(10);
    expect(yAt(frame, db, -48)).toBe(110);
  });
});

describe("a range dragged on a spectrum", () => {
  const frame = { left: 0, top: 0, width: 100, height: 1 };
  const hz = { low: 10, high: 10000, log: true };

  it("rises whichever way it was dragged, and a click is none", () => {
    expect(draggedRange(66.667, 33.333, frame, hz)).toEqual([100, 1000]);
    expect(draggedRange(50, 52, frame, hz)).toBeNull();
    expect(draggedRange(-50, 500, frame, hz)).toEqual([10, 10000]);
  });
});

it("the axis of levels reaches as low as the music and the threshold", () => {
  const music = Array.from({ length: 100 }, (_, i) => -8 - i / 20);
  expect(levelAxis(music, -10, -60)).toEqual({ low: -24, high: 0 });
  expect(levelAxis(music, -27, -60)).toEqual({ low: -36, high: 0 });
  expect(levelAxis([...music, ...music.map(() => -90)], -10, -60).low).toBe(-60);
  expect(levelAxis([NaN], -10, -36).low).toBe(-36);
  expect(ticksOf({ low: -24, high: 0 })).toEqual([0, -6, -12, -18, -24]);
  expect(ticksOf({ low: -48, high: 0 })).toEqual([0, -12, -24, -36, -48]);
});
