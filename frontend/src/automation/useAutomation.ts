/** What is ridden of a value: its span, and what it is where the song is heard or in the hand. */
import { useMemo } from "react";
import type { Point } from "../api/types";
import { useLiveReadings } from "../state/useLiveReadings";
import { riddenNow, useRiding } from "../state/automationRecording";
import { useBench } from "../state/store";
import { rideOf } from "../tree/valueCurve";

interface Ridden {
  value: Point["value"];
  /** lowest and highest of a number */
  span: [number, number] | undefined;
  bySection: boolean;
}

export function useAutomation(target: string, param: string): Ridden | null {
  const ride = useBench((s) => rideOf(s.recipe!, target, param));
  const held = useRiding((s) => s.held.find((touch) => touch.target === target && touch.param === param));
  const now = useLiveReadings(() => (ride ? riddenNow(useBench.getState().recipe!, target, param) : null));
  const fixed = useMemo(() => {
    if (!ride) return null;
    const numbers = ride.points.flatMap(({ value }) => (typeof value === "number" ? [value] : []));
    const span: [number, number] | undefined = numbers.length
      ? [Math.min(...numbers), Math.max(...numbers)]
      : undefined;
    return { span, bySection: ride.points.every(({ at }) => typeof at !== "number" || at === 0) };
  }, [ride]);
  if (!ride || !fixed) return null;
  return { ...fixed, value: held?.value ?? now ?? ride.points[0]!.value };
}
