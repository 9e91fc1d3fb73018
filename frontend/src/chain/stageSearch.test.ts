import { expect, test } from "vitest";
import type { KindInfo } from "../api/types";
import { found } from "./stageSearch";

const kinds = [
  { kind: "trim", title: "Trim", says: "Level and balance.", sought: ["gain", "polarity"] },
  {
    kind: "compressor",
    title: "Bus compressor",
    says: "Holds the mix together.",
    sought: ["glue", "de-ess"],
  },
  {
    kind: "equalizer",
    title: "Equalizer",
    says: "Moves of tone, on the mix.",
    sought: ["de-ess", "mid-side"],
  },
] as unknown as KindInfo[];
const names = (typed: string) => found(kinds, typed).map(({ kind }) => kind);

test("stages are found by name, trade word and purpose", () => {
  expect(names("")).toEqual(["trim", "compressor", "equalizer"]);
  expect(names("glue")).toEqual(["compressor"]);
  // the word stands first with the equalizer
  expect(names("De-Ess")).toEqual(["equalizer", "compressor"]);
  expect(names("comp")).toEqual(["compressor"]);
  expect(names("tone mix")).toEqual(["equalizer"]);
  expect(names("zz")).toEqual([]);
});

test("a name goes before a purpose", () => {
  expect(names("balance")).toEqual(["trim"]);
  expect(names("eq")[0]).toBe("equalizer");
});
