/** A canvas that is as sharp as the screen and drawn when asked, or at every frame while something moves. */
import { useCallback, useEffect, useRef } from "react";
import type { RefCallback } from "react";
import { useMoving, wake } from "./ticker";

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

/** Pictures that are drawn once, to be drawn anew in other colours. */
const still = new Set<() => void>();

/** Draw whenever `draw` changes, the canvas is resized or the theme is another. */
export function useCanvas(draw: Draw): RefCallback<HTMLCanvasElement> {
  const drawn = useRef(draw);
  const shown = useRef<HTMLCanvasElement>(null);
  const paint = useCallback(() => {
    const canvas = shown.current;
    const context = canvas && fit(canvas);
    if (!context) return;
    context.clearRect(0, 0, canvas.clientWidth, canvas.clientHeight);
    drawn.current(context, canvas.clientWidth, canvas.clientHeight);
  }, []);
  useEffect(() => {
    drawn.current = draw;
    paint();
  }, [draw, paint]);
  return useCallback(
    (canvas: HTMLCanvasElement) => {
      shown.current = canvas;
      still.add(paint);
      const observer = new ResizeObserver(paint);
      observer.observe(canvas);
      // the axes' figures are drawn in the page's own type
      document.fonts.addEventListener("loadingdone", paint);
      return () => {
        shown.current = null;
        still.delete(paint);
        observer.disconnect();
        document.fonts.removeEventListener("loadingdone", paint);
      };
    },
    [paint],
  );
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

/** The theme changed: colours are read anew, and everything is drawn in them. */
export function forgetColours(): void {
  cache.clear();
  for (const paint of still) paint();
  wake();
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
