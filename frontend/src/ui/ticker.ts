/**
 * All that moves on the page goes together, about thirty times a second, and rests while nothing changes. Where the
 * machine has too little time for both, pictures give way to the sound.
 */
import { useEffect, useRef } from "react";
import { flushSync } from "react-dom";

/** Told the time, and whether figures are read at this turn: text that changes in between could not be read. */
type Move = (now: number, reading: boolean) => void;

const REST_MS = 25;
/** For so long, after a gap in the sound, pictures leave more of the machine to it. */
const GIVE_WAY_MS = 20000;
const GIVING_WAY_REST_MS = 75;
/** Figures change every so many pictures. */
const READ_EVERY = 4;
/** Pictures settle for this long after the last change: a needle falls, a held peak goes. */
const LINGER_MS = 3000;

const moving = new Set<Move>();
let running = false;
let awakeUntil = 0;
let givingWayUntil = 0;
let isBusy: () => boolean = () => false;

/** Something changed: what moves may have to be drawn anew. */
export function wake(): void {
  awakeUntil = performance.now() + LINGER_MS;
  run();
}

/** A gap was heard: pictures are drawn less often for a while. */
export function giveWay(): void {
  givingWayUntil = performance.now() + GIVE_WAY_MS;
}

/** Let everything move as long as this holds. */
export function moveWhile(busy: () => boolean): void {
  isBusy = busy;
}

function run(): void {
  if (running || moving.size === 0) return;
  running = true;
  requestAnimationFrame(tick);
}

let turn = 0;

function moveAll(now: number): void {
  const reading = turn++ % READ_EVERY === 0;
  for (const move of moving) {
    try {
      move(now, reading);
    } catch (failed) {
      // one picture that fails must not stop the others; it is told, and left out
      moving.delete(move);
      reportError(failed);
    }
  }
}

function tick(now: number): void {
  // what React has to change comes into the same picture
  flushSync(() => moveAll(now));
  running = moving.size > 0 && (isBusy() || performance.now() < awakeUntil);
  const restMs = performance.now() < givingWayUntil ? GIVING_WAY_REST_MS : REST_MS;
  // the page makes no picture in between
  if (running) setTimeout(() => requestAnimationFrame(tick), restMs);
}

/** Begin to move; returns how to end it. */
export function startMoving(move: Move): () => void {
  moving.add(move);
  wake();
  return () => void moving.delete(move);
}

/** Do something again and again, as the music goes on. */
export function useMoving(move: Move): void {
  const latest = useRef(move);
  useEffect(() => {
    latest.current = move;
    wake();
  });
  useEffect(() => startMoving((now, reading) => latest.current(now, reading)), []);
}
