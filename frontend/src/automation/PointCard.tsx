import { useState } from "react";
import type { Param, Point } from "../api/types";
import { formatTime, formatValue, parseValue } from "../ui/format";
import { Segments } from "../ui/Segments";

interface Props {
  param: Param;
  point: Point;
  seconds: number;
  onChange: (next: Partial<Pick<Point, "value" | "ramp">>) => void;
  onRemove: () => void;
  onDone: () => void;
}

const RAMPS = [
  { value: "hold", label: "step" },
  { value: "line", label: "line" },
  { value: "smooth", label: "smooth" },
] as const;

/** One point of a lane: its value, typed, and how it goes on to the next. */
export function PointCard({ param, point, seconds, onChange, onRemove, onDone }: Props) {
  const { value } = point;
  const [text, setText] = useState(typeof value === "number" ? formatValue(param, value) : "");
  const [wrong, setWrong] = useState(false);
  const take = () => {
    const number = parseValue(param, text);
    if (number === null || number < (param.low ?? -Infinity) || number > (param.high ?? Infinity)) {
      setWrong(true);
      return;
    }
    onChange({ value: number });
    onDone();
  };
  return (
    <div className="flex items-center gap-2">
      <span className="cap">{formatTime(seconds, 2)}</span>
      {typeof value === "number" ? (
        <input
          autoFocus
          aria-label={`${param.label} at ${formatTime(seconds, 2)}`}
          aria-invalid={wrong}
          className={`w-[84px] border bg-well px-1 ${wrong ? "border-copper text-copper" : "border-rim"}`}
          value={text}
          onFocus={({ target }) => target.select()}
          onChange={(event) => {
            setText(event.target.value);
            setWrong(false);
          }}
          onKeyDown={(event) => {
            if (event.key === "Enter") take();
          }}
        />
      ) : (
        <Segments
          label={param.label}
          value={String(value)}
          options={
            typeof value === "boolean"
              ? [
                  { value: "true", label: "on" },
                  { value: "false", label: "off" },
                ]
              : param.choices.map((choice) => ({ value: String(choice), label: String(choice) }))
          }
          onChange={(next) => onChange({ value: typeof value === "boolean" ? next === "true" : next })}
        />
      )}
      {typeof value === "number" && (
        <Segments
          label="How it goes on"
          value={point.ramp}
          options={RAMPS}
          onChange={(ramp) => onChange({ ramp })}
        />
      )}
      <button type="button" className="plain" onClick={onRemove}>
        remove
      </button>
    </div>
  );
}
