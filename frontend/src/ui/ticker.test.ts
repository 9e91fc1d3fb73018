import { beforeEach, expect, test, vi } from "vitest";

const frames: ((now: number) => void)[] = [];
let clock = 0;
vi.stubGlobal("requestAnimationFrame", (frame: (now: number) => void) => frames.push(frame));
const rests: number[] = [];
vi.stubGlobal("setTimeout", (then: () => void, ms: number) => {
  rests.push(ms);
  then();
});
vi.stubGlobal("performance", { now: () => clock });
const reported = vi.fn();
vi.stubGlobal("reportError", reported);
const { giveWay, moveWhile, startMoving, wake } = await import("./ticker");

function pass(ms: number): void {
  for (let gone = 0; gone < ms; gone += 33) {
    clock += 33;
    frames.splice(0).forEach((frame) => frame(clock));
  }
}

beforeEach(() => {
  pass(10000);
});

test("what moves rests a while after the last change, and goes on with the next", () => {
  const move = vi.fn();
  const end = startMoving(move);
  pass(5000);
  const settled = move.mock.calls.length;
  expect(settled).toBeGreaterThan(50);
  pass(5000);
  expect(move.mock.calls.length).toBe(settled);
  wake();
  pass(100);
  expect(move.mock.calls.length).toBeGreaterThan(settled);
  end();
});

test("it goes on as long as something plays", () => {
  const move = vi.fn();
  const end = startMoving(move);
  moveWhile(() => true);
  pass(20000);
  expect(move.mock.calls.length).toBeGreaterThan(500);
  moveWhile(() => false);
  end();
});

test("after a gap in the sound pictures rest longer, for a while", () => {
  const end = startMoving(vi.fn());
  moveWhile(() => true);
  const restNow = () => {
    pass(100);
    return rests.at(-1)!;
  };
  const usual = restNow();
  giveWay();
  expect(restNow()).toBeGreaterThan(2 * usual);
  pass(10000);
  expect(restNow()).toBeGreaterThan(2 * usual);
  pass(11000);
  expect(restNow()).toBe(usual);
  moveWhile(() => false);
  end();
});

test("a picture that fails is told and left out; the others go on", () => {
  const good = vi.fn();
  const bad = vi.fn(() => {
    throw new Error("no such colour");
  });
  const ends = [startMoving(bad), startMoving(good)];
  pass(1000);
  expect(bad).toHaveBeenCalledTimes(1);
  expect(good.mock.calls.length).toBeGreaterThan(20);
  expect(reported).toHaveBeenCalledWith(expect.objectContaining({ message: "no such colour" }));
  ends.forEach((end) => end());
});
