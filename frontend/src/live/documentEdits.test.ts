import { describe, expect, it } from "vitest";
import { changesBetween, patched } from "./documentEdits";

const before = {
  master: [
    { id: "t", params: { gain_db: 0, key: null as string[] | null } },
    { id: "e", params: { gain_db: 1, key: ["drums"] } },
  ],
  automation: [{ points: [{ at: 1, value: 2 }] }],
};
const [trim, equalizer] = before.master as [(typeof before.master)[0], (typeof before.master)[0]];

const moved = { ...before, master: [{ ...trim, params: { ...trim.params, gain_db: 3 } }, equalizer] };

describe("changes of a document", () => {
  it("name the place that was moved, and nothing else", () => {
    expect(changesBetween(before, moved)).toEqual([{ path: ["master", 0, "params", "gain_db"], value: 3 }]);
    expect(changesBetween(before, before)).toEqual([]);
    expect(changesBetween(before, structuredClone(before)), "a copy says the same").toEqual([]);
  });

  it.each<[string, object]>([
    ["a value", moved],
    [
      "nothing where something was",
      { ...before, master: [trim, { ...equalizer, params: { gain_db: 1, key: null } }] },
    ],
    [
      "something where nothing was",
      { ...before, master: [{ ...trim, params: { gain_db: 0, key: ["a"] } }, equalizer] },
    ],
    ["a stage more", { ...before, master: [trim, equalizer, { ...trim, id: "u" }] }],
    ["a stage less", { ...before, master: [equalizer] }],
    ["stages the other way round", { ...before, master: [equalizer, trim] }],
    ["a field more", { ...before, master: [{ ...trim, on: false }, equalizer] }],
    ["a field less", { master: before.master }],
    ["a field that is nothing any more", { ...before, master: [{ ...trim, params: undefined }, equalizer] }],
    ["another field", { ...before, master: [{ id: "t", values: {} }, equalizer] }],
    ["no more points", { ...before, automation: [] }],
    ["something else altogether", { nothing: true }],
  ])("make the other document of the one: %s", (_what, after) => {
    const kept = structuredClone(before);
    // as it comes over the wire
    const changes = JSON.parse(JSON.stringify(changesBetween(before, after))) as ReturnType<
      typeof changesBetween
    >;
    expect(patched<object>(before, changes)).toEqual(after);
    expect(changes.every((change) => "value" in change)).toBe(true);
    expect(before, "the one before stays").toEqual(kept);
  });

  it("leave what is untouched as it is", () => {
    const after = patched(before, changesBetween(before, moved));
    expect(after.master[1]).toBe(equalizer);
    expect(after.automation).toBe(before.automation);
  });
});
