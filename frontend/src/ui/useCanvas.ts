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

/** Draw at every frame of the screen. */
export function useMovingCanvas(draw: Draw) {
  const ref = useRef<HTMLCanvasElement>(null);
  const latest = useRef(draw);
  useEffect(() => {
    latest.current = draw;
  });
  useEffect(() => {
    let frame = 0;
    const paint = () => {
      frame = requestAnimationFrame(paint);
      const canvas = ref.current;
      const context = canvas && fit(canvas);
      if (!context) return;
      context.clearRect(0, 0, canvas.clientWidth, canvas.clientHeight);
      latest.current(context, canvas.clientWidth, canvas.clientHeight);
    };
    frame = requestAnimationFrame(paint);
    return () => cancelAnimationFrame(frame);
  }, []);
  return ref;
}

const cache = new Map<string, string>();

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
