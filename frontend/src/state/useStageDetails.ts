/** While a view shows what only the chosen stage tells, it is asked for. */
import { useEffect } from "react";
import { lookInside } from "./listening";

export function useStageDetails(stage: string): void {
  useEffect(() => {
    lookInside(stage);
    return () => lookInside(null);
  }, [stage]);
}
