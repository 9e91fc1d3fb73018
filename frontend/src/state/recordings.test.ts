import { expect, test } from "vitest";
import type { BlockHead } from "../live/protocol";
import { Heard, takesOf } from "./recordings";
import type { Held } from "./recordings";

const RATE = 1000;
const block = (position: number, song: number, revision: number, epoch = 1): BlockHead => ({
  epoch,
  revision,
  frames: 100,
  position,
  song,
});
/** A stream in which every state is heard from its first block on. */
function stream(...blocks: BlockHead[]): Heard {
  const heard = new Heard();
  let last = -1;
  for (const head of blocks) {
    heard.block(head);
    if (head.revision > last) heard.begin(head);
    last = Math.max(last, head.revision);
  }
  return heard;
}
const held = (moves: [revision: number, value: number][], released: number | null = null): Held => ({
  touch: { target: "t", param: "gain_db", value: 0, trim_from: null },
  moves: moves.map(([revision, value]) => ({ revision, value })),
  released,
});
const end = { position: Infinity, song: 900 };

test("a move lands where its state was heard first, and one that nobody heard nowhere", () => {
  const heard = stream(block(0, 500, 1), block(100, 600, 3));
  const [passage] = heard.passages(
    held([
      [2, -3],
      [3, -6],
      [9, -9],
    ]),
    end,
    RATE,
  );
  expect(passage).toEqual({
    moves: [
      [0.6, -3],
      [0.6, -6],
    ],
    end_s: 0.9,
  });
});

test("what was let go of ends there", () => {
  const heard = stream(block(0, 500, 1), block(100, 600, 2), block(200, 700, 3));
  expect(heard.passages(held([[2, -3]], 3), end, RATE)).toEqual([{ moves: [[0.6, -3]], end_s: 0.7 }]);
});

test("a loop that begins again begins a passage of its own, with what the hand held", () => {
  const heard = stream(block(0, 700, 1), block(100, 800, 2), block(200, 300, 2), block(300, 400, 3));
  expect(
    heard.passages(
      held([
        [2, -3],
        [3, -6],
      ]),
      { ...end, song: 450 },
      RATE,
    ),
  ).toEqual([
    { moves: [[0.8, -3]], end_s: 0.9 },
    {
      moves: [
        [0.3, -3],
        [0.4, -6],
      ],
      end_s: 0.45,
    },
  ]);
});

test("what is rendered anew after a move is no turn of the loop", () => {
  const heard = stream(
    // a move takes the sound up again before the seam, which is passed once more
    block(0, 700, 1),
    block(100, 800, 1),
    block(200, 300, 1),
    block(100, 800, 2),
    block(200, 300, 2),
  );
  expect(heard.passages(held([[2, -3]]), { ...end, song: 400 }, RATE)).toHaveLength(2);
});

test("values are told apart, passages of one value are one take", () => {
  const heard = stream(block(0, 100, 1), block(100, 200, 2), block(200, 300, 3));
  const other: Held = {
    ...held([[1, 1]]),
    touch: { target: "t", param: "balance", value: 1, trim_from: 0.5 },
  };
  const takes = takesOf([held([[1, -1]], 2), held([[3, -2]]), other], heard, end, RATE, "is ignored");
  expect(takes.map(({ param, passages, trim_from }) => [param, passages.length, trim_from])).toEqual([
    ["gain_db", 2, null],
    ["balance", 1, [0.5]],
  ]);
});
