/** A canvas that is as sharp as the screen and drawn when asked, or at every frame while something moves. */
import { useEffect, useRef } from "react";

export type Draw = (context: CanvasRenderingContext2D, width: number, height: number) => void;

function fit(canvas: HTMLCanvasElement): CanvasRenderingContext2D | null {
  const { clientWidth, clientHeight } = canvas;
  const dense = window.devicePixelRatio || 1;
  const [width, height] = [Math.round(clientWidth * dense), Math.round(clientHeight * dense)];
  if (canvas.width !== width) canvas.width = width;
  if (canvas.height !== height) canvas.height = height;
  const context = canvas.getContext("2d");
  context?.setTransform(dense, 0, 0, dense, 0, 0);
  return context;
}

/** Draw whenever `draw` changes or the canvas is resized. */
export function useCanvas(draw: Draw) {
  const ref = useRef<HTMLCanvasElement>(null);
  useEffect(() => {
    const canvas = ref.current;
    if (!canvas) return;
    const paint = () => {
      const context = fit(canvas);
      context?.clearRect(0, 0, canvas.clientWidth, canvas.clientHeight);
      if (context) draw(context, canvas.clientWidth, canvas.clientHeight);
    };
    paint();
    const observer = new ResizeObserver(paint);
    observer.observe(canvas);
    // the axes' figures are drawn in the page's own type
    void document.fonts.ready.then(paint);
    return () => observer.disconnect();
  }, [draw]);
  return ref;
}

const REST_MS = 20;
const moving = new Set<(now: number) => void>();
let running = false;

/** All that moves is drawn together, about thirty times a second: the page makes no picture in between. */
function moveAll(now: number): void {
  running = moving.size > 0;
  if (!running) return;
  for (const move of moving) move(now);
  setTimeout(() => requestAnimationFrame(moveAll), REST_MS);
}

/** Do something again and again, as the music goes on. */
export function useMoving(move: (now: number) => void): void {
  const latest = useRef(move);
  useEffect(() => {
    latest.current = move;
  });
  useEffect(() => {
    const again = (now: number) => latest.current(now);
    moving.add(again);
    if (!running) requestAnimationFrame(moveAll);
    running = true;
    return () => void moving.delete(again);
  }, []);
}

/** Draw again and again; less often than thirty times a second where `everyMs` says so. */
export function useMovingCanvas(draw: Draw, everyMs = 0) {
  const ref = useRef<HTMLCanvasElement>(null);
  const drawnAt = useRef(-Infinity);
  const drawn = useRef<Draw>(null);
  useMoving((now) => {
    const canvas = ref.current;
    // what has changed is drawn at once
    if (!canvas || (drawn.current === draw && now - drawnAt.current < everyMs)) return;
    drawnAt.current = now;
    drawn.current = draw;
    const context = fit(canvas);
    if (!context) return;
    context.clearRect(0, 0, canvas.clientWidth, canvas.clientHeight);
    draw(context, canvas.clientWidth, canvas.clientHeight);
  });
  return ref;
}

const cache = new Map<string, string>();

/** The theme changed: colours are read anew. */
export function forgetColours(): void {
  cache.clear();
}

/** A colour of the theme, for drawing. */
export function colour(name: string): string {
  let found = cache.get(name);
  if (!found) {
    found = getComputedStyle(document.documentElement).getPropertyValue(`--color-${name}`) || "#000";
    cache.set(name, found);
  }
  return found;
}

export const AXIS_FONT = "500 9.5px 'Archivo Variable', sans-serif";
