/** Where the sound runs beside the rows of a chain: it forks at a split, runs a rail a branch, and rejoins. */
import type { Stage } from "../api/types";
import { branchesOf } from "../tree/tree";

export interface Rails {
  /** column of the row's own dot; none where branches rejoin */
  node: number | null;
  /** columns that pass the row from top to bottom */
  through: number[];
  /** columns that part from one at the top of the row */
  fork: { from: number; to: number[] } | null;
  /** columns that come together in one at the bottom of the row */
  join: { from: number[]; to: number } | null;
}

export type Row = { depth: number; rails: Rails } & (
  | { kind: "stage"; id: string }
  | { kind: "branch"; id: string; split: string; at: number }
  | { kind: "join"; id: string }
);

interface Ground {
  column: number;
  depth: number;
  /** columns of the branches around */
  around: number[];
  /** the first column that nobody uses */
  free: number;
}

/** The rows of a chain with what is in its splits. */
export function rowsOf(chain: Stage[], ground: Ground = { column: 0, depth: 0, around: [], free: 1 }): Row[] {
  const { column, depth, around } = ground;
  return chain.flatMap((stage): Row[] => {
    const through = [...around, column];
    const row: Row = {
      kind: "stage",
      id: stage.id,
      depth,
      rails: { node: column, through, fork: null, join: null },
    };
    const branches = branchesOf(stage);
    if (!branches.length) return [row];
    const columns = branches.map((_, i) => (i === 0 ? column : ground.free + i - 1));
    const beside = columns.slice(1);
    const inside = branches.flatMap((branch, at): Row[] => {
      const all = [...around, ...columns];
      const rails: Rails = {
        node: columns[at]!,
        through: at === 0 ? through : all,
        fork: at === 0 && beside.length ? { from: column, to: beside } : null,
        join: null,
      };
      const within = {
        column: columns[at]!,
        depth: depth + 1,
        around: all.filter((one) => one !== columns[at]),
        free: ground.free + beside.length,
      };
      return [
        { kind: "branch", id: branch.id, split: stage.id, at, depth: depth + 1, rails },
        ...rowsOf(branch.chain, within),
      ];
    });
    const join: Row = {
      kind: "join",
      id: stage.id,
      depth: depth + 1,
      rails: { node: null, through, fork: null, join: beside.length ? { from: beside, to: column } : null },
    };
    return [row, ...inside, join];
  });
}

/** The farthest column to the right. */
export function lastColumn(rows: Row[]): number {
  return Math.max(0, ...rows.flatMap(({ rails }) => [...rails.through, ...(rails.fork?.to ?? [])]));
}

const FIRST_PX = 20;
const APART_PX = 16;
const ROOM_PX = 80;

/** Where columns lie: closer together where there are many. */
export function columnPx(column: number, last: number): number {
  return FIRST_PX + column * Math.min(APART_PX, ROOM_PX / Math.max(1, last));
}

/** The path of a row's rails, `height` px high. */
export function railPath({ through, fork, join }: Rails, last: number, height: number): string {
  const x = (column: number) => columnPx(column, last).toFixed(1);
  const straight = through.map((column) => `M${x(column)} 0V${height}`);
  const half = height / 2;
  const curve = (from: number, to: number) =>
    `M${x(from)} 0C${x(from)} ${half} ${x(to)} ${half} ${x(to)} ${height}`;
  const parting = fork ? fork.to.map((column) => curve(fork.from, column)) : [];
  const meeting = join ? join.from.map((column) => curve(column, join.to)) : [];
  return [...straight, ...parting, ...meeting].join("");
}
