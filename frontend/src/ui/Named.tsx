import type { ReactNode } from "react";
import type { Param } from "../api/types";
import { Hint } from "./Hint";

/** Names of more letters are set narrow. */
const LONG = 8;

/** A parameter's name with its sentence, and what stands behind it. */
export function Named({ param, badge }: { param: Param; badge?: ReactNode }) {
  return (
    <span className="flex min-w-0 items-baseline gap-1">
      <Hint text={param.says}>
        <span className={`truncate ${param.label.length > LONG ? "[font-stretch:80%]" : ""}`}>
          {param.label}
        </span>
      </Hint>
      {badge}
    </span>
  );
}
