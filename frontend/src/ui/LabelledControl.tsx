import type { ReactNode } from "react";
import type { Param } from "../api/types";
import { Hint } from "./Hint";

/** The longer a name, the narrower it is set: none is cut off. */
function width(label: string): string {
  if (label.length > 12) return "[font-stretch:70%]";
  return label.length > 8 ? "[font-stretch:80%]" : "";
}

/** A parameter's name with its sentence, and what stands behind it. */
export function LabelledControl({ param, badge }: { param: Param; badge?: ReactNode }) {
  return (
    <span className="flex min-w-0 items-baseline gap-1">
      <Hint text={param.says}>
        <span className={`truncate ${width(param.label)}`}>{param.label}</span>
      </Hint>
      {badge}
    </span>
  );
}
