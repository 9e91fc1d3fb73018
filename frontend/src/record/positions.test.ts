import { describe, expect, it } from "vitest";
import type { RecordSong } from "../api/recordTypes";
import { lengthOf, moved, playedFrame, recordFrame, secondsOf, songAt } from "./positions";

const all = { spans: [[0, 0, 1000]] as [number, number, number][] };
const joins = {
  spans: [
    [0, 200, 100],
    [100, 700, 50],
  ] as [number, number, number][],
};
const song = (more: Partial<RecordSong>): RecordSong => ({
  id: 1,
  title: "",
  rate_hz: 100,
  frames: 1000,
  gain_db: 0,
  gap_s: 2,
  fade_in_s: 0,
  fade_out_s: 0,
  fade_shape: "smooth",
  start_s: 0,
  end_s: null,
  isrc: null,
  ...more,
});

describe("places in a record", () => {
  it("go from what is played to the record and back", () => {
    expect(recordFrame(all, 321)).toBe(321);
    expect([0, 99, 100, 149].map((at) => recordFrame(joins, at))).toEqual([200, 299, 700, 749]);
    expect(recordFrame(joins, 170)).toBe(750);
    expect([200, 299, 300, 720].map((at) => playedFrame(joins, at))).toEqual([0, 99, null, 120]);
  });

  it("know the song that sounds, the later one in a crossfade, the next one in a gap", () => {
    const laid = { starts: [0, 90, 300], ends: [100, 280, 400] };
    expect([0, 89, 95, 279, 290, 350, 900].map((at) => songAt(laid, at))).toEqual([0, 0, 1, 1, 2, 2, 2]);
  });

  it("count what is left of a song, and gaps between but not before", () => {
    expect(secondsOf(song({ start_s: 1, end_s: 4 }))).toBe(3);
    expect(secondsOf(song({ end_s: 99 }))).toBe(10);
    expect(lengthOf([song({ gap_s: 5 }), song({ gap_s: -1 }), song({ gap_s: 3 })])).toBe(32);
  });

  it("move a song and leave the others in their order", () => {
    expect(moved(["a", "b", "c", "d"], 0, 2)).toEqual(["b", "c", "a", "d"]);
    expect(moved(["a", "b", "c", "d"], 3, 0)).toEqual(["d", "a", "b", "c"]);
    expect(moved(["a", "b"], 0, 9)).toEqual(["b", "a"]);
  });
});
