/** What is heard at the moment, for figures that are read: a few times a second is enough. */
import { useEffect, useState } from "react";
import { currentPlayer } from "../bench/listening";
import { useBench } from "../bench/store";
import type { Gauge, Meters } from "../live/protocol";

const READ_MS = 120;

export interface HeardNow {
  song: number;
  meters: Meters;
  /** null before anything was played */
  gauge: Gauge | null;
}

export function heardNow(): HeardNow | null {
  const player = currentPlayer();
  const found = player?.now();
  if (!player || !found) return null;
  const { meters } = found.moment;
  const side = useBench.getState().heard === "now" ? "now" : "other";
  return { song: found.song, meters, gauge: player.played ? meters[side] : null };
}

export function useHeard(): HeardNow | null {
  const [heard, setHeard] = useState<HeardNow | null>(null);
  useEffect(() => {
    const timer = setInterval(() => setHeard(heardNow()), READ_MS);
    return () => clearInterval(timer);
  }, []);
  return heard;
}
