import { describe, expect, it } from "vitest";
import type { BlockHead, Meters } from "../live/protocol";
import { overlay, READING_FRAMES, Readings } from "./readings";

const head = (song: number) =>
  ({ epoch: 0, revision: 0, frames: 1024, position: 0, song }) satisfies BlockHead;
const meters = (level: number, effort: number) =>
  ({
    stages: {
      a: {
        input_db: new Float32Array(4).fill(level),
        heard_db: new Float32Array(4).fill(level - 1),
        effort_db: new Float32Array(4).fill(effort),
      },
    },
  }) as unknown as Meters;

describe("readings", () => {
  it("lie where they were heard, the loudest and the hardest of each column", () => {
    const readings = new Readings();
    readings.reset(64 * READING_FRAMES);
    readings.take(head(0), meters(-20, -1));
    readings.take(head(4 * READING_FRAMES), meters(-10, -3));
    const found = readings.columns("a", 0, 16 * READING_FRAMES, 2)!;
    expect(found.input_db).toEqual([-10, NaN]);
    expect(found.heard_db).toEqual([-11, NaN]);
    expect(found.effort_db).toEqual([-3, NaN]);
    expect(readings.columns("b", 0, 1024, 2)).toBeNull();
    readings.forget();
    expect(readings.columns("a", 0, 1024, 2)).toBeNull();
  });

  it("do not run over the song's end", () => {
    const readings = new Readings();
    readings.reset(2 * READING_FRAMES);
    readings.take(head(100 * READING_FRAMES), meters(-20, -1));
    expect(readings.columns("a", 0, 2 * READING_FRAMES, 2)).toBeNull();
  });

  it("go over what the survey found", () => {
    const survey = { input_db: [-30, -31], heard_db: [-32, -33], effort_db: [0, -1] };
    const live = { input_db: [NaN, -5], heard_db: [NaN, -6], effort_db: [NaN, -7] };
    expect(overlay("input_db", survey, live, 2)).toEqual([-30, -5]);
    expect(overlay("effort_db", survey, live, 2)).toEqual([0, -7]);
    expect(overlay("level_a", survey, live, 1)).toEqual([NaN]);
    expect(overlay("input_db", null, null, 1)).toEqual([NaN]);
  });
});
