/** A function that stays the same and does what the latest one does: what it is handed to need not be drawn anew. */
import { useCallback, useLayoutEffect, useRef } from "react";

export function useLatest<Given extends unknown[]>(
  act: (...given: Given) => void,
): (...given: Given) => void {
  const latest = useRef(act);
  useLayoutEffect(() => {
    latest.current = act;
  });
  return useCallback((...given: Given) => latest.current(...given), []);
}
