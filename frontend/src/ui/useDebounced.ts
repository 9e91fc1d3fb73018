import { useEffect, useState } from "react";

/** A value once it has stood for a moment: what changes quickly is not asked for at every step. */
export function useDebounced<Value>(value: Value, restMs: number): Value {
  const [rested, setRested] = useState(value);
  useEffect(() => {
    const timer = setTimeout(() => setRested(value), restMs);
    return () => clearTimeout(timer);
  }, [value, restMs]);
  return rested;
}
