import { describe, expect, it } from "vitest";
import type { Stage } from "../api/types";
import { columnPx, lastColumn, railPath, rowsOf } from "./signalFlow";

const stage = (id: string, ...chains: Stage[][]) =>
  ({
    id,
    kind: chains.length ? "split" : "trim",
    params: { branches: chains.map((chain, i) => ({ id: `${id}${i}`, chain })) },
  }) as unknown as Stage;

const chain = [stage("a"), stage("s", [stage("b")], [stage("t", [], [stage("c")])], []), stage("d")];

describe("rails", () => {
  it("give every row its place, with a join behind every split", () => {
    const rows = rowsOf(chain).map(({ kind, id, depth }) => `${"·".repeat(depth)}${kind} ${id}`);
    expect(rows).toEqual([
      "stage a",
      "stage s",
      "·branch s0",
      "·stage b",
      "·branch s1",
      "·stage t",
      "··branch t0",
      "··branch t1",
      "··stage c",
      "··join t",
      "·branch s2",
      "·join s",
      "stage d",
    ]);
  });

  it("fork into columns that nobody else uses, pass by, and rejoin where they came from", () => {
    const rows = rowsOf(chain);
    const of = (kind: string, id: string) => rows.find((row) => row.kind === kind && row.id === id)!.rails;
    expect(of("branch", "s0").fork).toEqual({ from: 0, to: [1, 2] });
    expect(of("stage", "b")).toMatchObject({ node: 0, through: [1, 2, 0] });
    expect(of("branch", "t0")).toMatchObject({ node: 1, fork: { from: 1, to: [3] } });
    expect(of("stage", "c")).toMatchObject({ node: 3 });
    expect(of("stage", "c").through.sort()).toEqual([0, 1, 2, 3]);
    expect(of("join", "t")).toMatchObject({ node: null, join: { from: [3], to: 1 } });
    expect(of("join", "s")).toMatchObject({ join: { from: [1, 2], to: 0 }, through: [0] });
    expect(of("stage", "d")).toEqual({ node: 0, through: [0], fork: null, join: null });
    expect(lastColumn(rows)).toBe(3);
  });

  it("stay inside the room beside the names, however many there are", () => {
    expect(columnPx(2, 2)).toBe(52);
    expect(columnPx(7, 7)).toBe(100);
    expect(railPath({ node: 0, through: [0], fork: { from: 0, to: [1] }, join: null }, 1, 30)).toBe(
      "M20.0 0V30M20.0 0C20.0 15 36.0 15 36.0 30",
    );
  });
});
