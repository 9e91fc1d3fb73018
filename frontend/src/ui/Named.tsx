import type { ReactNode } from "react";
import type { Param } from "../api/types";
import { Hint } from "./Hint";

/** A parameter's name with its sentence, and what stands behind it. */
export function Named({ param, badge }: { param: Param; badge?: ReactNode }) {
  return (
    <span className="flex min-w-0 items-baseline gap-1">
      <Hint text={param.says}>
        <span className="truncate">{param.label}</span>
      </Hint>
      {badge}
    </span>
  );
}
