import { describe, expect, it } from "vitest";
import type { Span } from "../state/store";
import { columnsIn } from "./drawing";
import {
  BAND_HEIGHT,
  boundaryAt,
  dragged,
  flagAt,
  FLAG_TOP,
  frameAt,
  layoutOf,
  loopEdgeAt,
  withBoundary,
  withEdge,
  xOf,
  zoneAt,
  zoomed,
} from "./geometry";

const all: Span = [0, 48000];
const sections = [
  { id: "a", name: "A", start_s: 0, end_s: 0.5 },
  { id: "b", name: "B", start_s: 0.5, end_s: 2 },
];

describe("the song map", () => {
  it("goes from places to frames and back, in any view", () => {
    for (const view of [all, [10000, 12000] as Span])
      for (const share of [0, 0.3, 1]) {
        const frame = Math.round(view[0] + share * (view[1] - view[0]));
        expect(frameAt(xOf(frame, 900, view), 900, view)).toBe(frame);
      }
    expect(frameAt(-50, 900, all)).toBe(0);
    expect(frameAt(5000, 900, all)).toBe(48000);
  });

  it("tells a drag from a click, in either direction", () => {
    const view: Span = [0, 1000];
    expect(dragged(100, 102, 1000, view)).toBeNull();
    expect(dragged(100, 300, 1000, view)).toEqual([100, 300]);
    expect(dragged(300, 100, 1000, view)).toEqual([100, 300]);
  });

  it("finds the nearer edge of a loop", () => {
    const view: Span = [0, 1000];
    expect(loopEdgeAt(102, [100, 108], 1000, view)).toBe(0);
    expect(loopEdgeAt(107, [100, 108], 1000, view)).toBe(1);
    expect(loopEdgeAt(50, [100, 200], 1000, view)).toBeNull();
  });

  it("never turns a loop inside out", () => {
    const [start, end] = withEdge([1000, 5000], 0, 9000, 48000, 48000);
    expect(start).toBeLessThan(end);
    expect(withEdge([1000, 5000], 1, 99999, 48000, 48000)).toEqual([1000, 48000]);
  });

  it("knows its rows", () => {
    expect(zoneAt(5, 2).kind).toBe("section");
    expect(zoneAt(60, 2).kind).toBe("wave");
    expect(zoneAt(layoutOf(2).rowsTop + 15, 2)).toEqual({ kind: "row", row: 1 });
    expect(zoneAt(layoutOf(2).rowsTop + 60, 2).kind).toBe("wave");
  });

  it("zooms about the pointer and stays inside the song", () => {
    const near = zoomed(all, 24000, 0.5, 48000);
    expect(near).toEqual([12000, 36000]);
    expect(zoomed(near, 24000, 4, 48000)).toEqual(all);
    const closest = zoomed([0, 70], 3, 0.1, 48000);
    expect(closest[1] - closest[0]).toBe(64);
  });

  it("moves a boundary with both its neighbours", () => {
    expect(boundaryAt(252, sections, 1000, [0, 96000], 48000)).toBe(0);
    expect(boundaryAt(400, sections, 1000, [0, 96000], 48000)).toBeNull();
    const moved = withBoundary(sections, 0, 1);
    expect([moved[0]!.end_s, moved[1]!.start_s]).toEqual([1, 1]);
    expect(withBoundary(sections, 0, 99)[0]!.end_s).toBe(1.5);
  });

  it("finds flags", () => {
    expect(flagAt(502, FLAG_TOP + 4, [null, 0.5], 1000, all, 48000)).toBe(1);
    expect(flagAt(502, FLAG_TOP + 40, [null, 0.5], 1000, all, 48000)).toBeNull();
  });
});

it("the waves take the room that rows leave, and rows always have theirs", () => {
  for (let rows = 0; rows < 12; rows++) {
    const { waterline, wave, rowsTop, height } = layoutOf(rows);
    expect(wave).toBeGreaterThanOrEqual(44);
    expect(waterline - wave).toBeGreaterThan(BAND_HEIGHT);
    expect(rowsTop).toBeGreaterThan(waterline + wave);
    expect(height).toBeGreaterThanOrEqual(rowsTop + 14 * rows);
  }
  expect(layoutOf(1).wave).toBeGreaterThan(layoutOf(3).wave);
  expect(layoutOf(0).height).toBeGreaterThan(190);
});

it("columns of another stretch lie where they belong in the view", () => {
  // the whole song in ten columns, seen from 30 to 50 %
  expect(columnsIn(10, [0, 1000], [300, 500], 200)).toEqual({ first: 3, last: 5, left: -300, step: 100 });
  expect(columnsIn(10, [300, 500], [300, 500], 200)).toEqual({ first: 0, last: 10, left: 0, step: 20 });
  // a finer stretch while the view goes out again
  expect(columnsIn(10, [300, 500], [0, 1000], 200)).toMatchObject({ first: 0, last: 10, left: 60, step: 4 });
});
