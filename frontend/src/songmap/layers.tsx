/** What the map is drawn in: the still picture, and loop and pointer over it. */
import { memo, useCallback } from "react";
import type { Span } from "../state/store";
import { useCanvas } from "../ui/useCanvas";
import { drawMap, drawOverlay, drawScope } from "./drawing";
import type { MapPicture, Row, Wave } from "./drawing";

interface StillProps {
  picture: MapPicture;
  scope: { before: number[]; after: number[] } | undefined;
}

/** Whether two pictures are the same: the pointer's moves must not draw a thousand columns anew. */
function isSame(a: StillProps, b: StillProps): boolean {
  const [one, two] = [a.picture, b.picture];
  return (
    a.scope === b.scope &&
    one.view.join() === two.view.join() &&
    one.sections === two.sections &&
    sameWave(one.received, two.received) &&
    sameWave(one.mastered, two.mastered) &&
    one.progress === two.progress &&
    one.flags.join() === two.flags.join() &&
    one.rows.length === two.rows.length &&
    one.rows.every((row, i) => row.title === two.rows[i]?.title && sameValues(row, two.rows[i]))
  );
}

function sameWave(a: Wave | undefined, b: Wave | undefined): boolean {
  return a?.columns === b?.columns && a?.span.join() === b?.span.join();
}

/** Rows that are made of others at every turn are compared by what they show. */
function sameValues(a: Row, b: Row | undefined): boolean {
  if (a.span.join() !== b?.span.join()) return false;
  return a.values === b.values || (a.kind === "wave" && a.values?.join() === b.values?.join());
}

export const StillMap = memo(function StillMap({ picture, scope }: StillProps) {
  const draw = useCallback(
    (context: CanvasRenderingContext2D, width: number) => {
      drawMap(context, width, picture);
      if (scope) drawScope(context, width, picture.rows.length, scope.before, scope.after);
    },
    [picture, scope],
  );
  return (
    <canvas
      ref={useCanvas(draw)}
      role="img"
      aria-label="Waveforms as received and as mastered, with the rows below them"
      className="absolute inset-0 h-full w-full"
    />
  );
}, isSame);

interface OverlayProps {
  view: Span;
  loop: Span | null;
  hover: number | null;
}

/** Loop and pointer, over the map. */
export const Overlay = memo(function Overlay({ view, loop, hover }: OverlayProps) {
  const [from, to] = view;
  const draw = useCallback(
    (context: CanvasRenderingContext2D, width: number, height: number) =>
      drawOverlay(context, width, height, [from, to], loop, hover),
    [from, to, loop, hover],
  );
  return <canvas aria-hidden ref={useCanvas(draw)} className="absolute inset-0 h-full w-full" />;
});
