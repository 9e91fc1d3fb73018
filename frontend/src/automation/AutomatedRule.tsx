import type { Param } from "../api/types";
import { Rule } from "../ui/Rule";
import { noteValue } from "./noteValue";
import { AutomationBadge } from "./AutomationBadge";
import { useGrid } from "./useGrid";
import { useAutomation } from "./useAutomation";

interface Props {
  /** the id of what the value belongs to, and its path in that */
  target: string;
  path: string;
  param: Param;
  value: number;
  onMove: (value: number) => void;
  onRest: () => void;
}

/** A rule of a value that may move over time: where it is ridden it shows its span and follows the song. */
export function AutomatedRule({ target, path, param, value, onMove, onRest }: Props) {
  const ridden = useAutomation(target, path);
  const grid = useGrid();
  const shown = typeof ridden?.value === "number" ? ridden.value : value;
  const note = grid && param.unit === "ms" ? noteValue(shown, grid) : "";
  return (
    <div data-ride={`${target} ${path}`} className="group/ride">
      <Rule
        param={param}
        value={shown}
        span={ridden?.span}
        note={ridden ? (ridden.bySection ? "· by section" : "· ridden") : note}
        badge={
          !param.delays && (
            <AutomationBadge target={target} path={path} label={param.label} on={ridden !== null} />
          )
        }
        onMove={onMove}
        onRest={onRest}
      />
    </div>
  );
}
