/** What is heard at the moment, for figures that are read: a few times a second, and only what changed. */
import { useState } from "react";
import { session } from "./session";
import { useBench } from "./store";
import type { Gauge, Meters } from "../live/protocol";
import { useMoving } from "../ui/ticker";

export interface HeardNow {
  song: number;
  meters: Meters;
  /** null before anything was played */
  gauge: Gauge | null;
}

export function heardNow(): HeardNow | null {
  const { player } = session();
  const found = player?.now();
  if (!player || !found) return null;
  const { meters } = found.moment;
  const side = useBench.getState().heard === "now" ? "now" : "other";
  return { song: found.song, meters, gauge: player.played ? meters[side] : null };
}

/** A word or a number about what is heard; the page is drawn anew where it is another than before. */
export function useLiveReadings<Figure extends string | number | boolean | null>(
  read: (heard: HeardNow | null) => Figure,
): Figure {
  const [figure, setFigure] = useState<Figure>(() => read(heardNow()));
  useMoving((_, reading) => {
    if (reading) setFigure(read(heardNow()));
  });
  return figure;
}
