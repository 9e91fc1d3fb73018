import { Slider } from "radix-ui";
import { memo, useRef, useState } from "react";
import type { ReactNode } from "react";
import type { Param } from "../api/types";
import { formatTick, formatValue, parseValue } from "./format";
import { LabelledControl } from "./LabelledControl";
import type { Scaled } from "./scale";
import { toShare, withRoom } from "./scale";
import { useRule } from "./useRule";

interface Props {
  param: Param;
  value: number;
  /** What is written beside the value, such as how it came about. */
  note?: string | undefined;
  /** Between which values it moves by itself. */
  span?: [number, number] | undefined;
  /** What stands behind its name. */
  badge?: ReactNode;
  onMove: (value: number) => void;
  onRest: () => void;
}

const MINOR_TICKS = 24;

const scaledOf = ({ low, high, scale }: Param): Scaled => ({ low: low ?? 0, high: high ?? 1, scale });

/** The scale below a rule, shown while it is pointed at or has the focus: drawn once, however its value moves. */
const Ticks = memo(function Ticks({ param }: { param: Param }) {
  const scaled = scaledOf(param);
  const marks = withRoom(
    param.ticks.map((tick) => ({
      tick,
      at: toShare(scaled, tick) * 100,
      text: formatTick(param, tick),
    })),
  );
  return (
    <div
      className="pointer-events-none absolute inset-x-0 top-[31px] h-[13px] opacity-0 group-focus-within/rule:opacity-100 group-hover/rule:opacity-100"
      aria-hidden
    >
      {Array.from({ length: MINOR_TICKS + 1 }, (_, i) => (
        <i
          key={i}
          className="absolute top-0 h-[3px] w-px bg-tick"
          style={{ left: `${(i / MINOR_TICKS) * 100}%` }}
        />
      ))}
      {marks.map(({ tick, at, text, named }) => (
        <span key={tick}>
          <i className="absolute top-0 h-[6px] w-px bg-mute" style={{ left: `${at}%` }} />
          {named && (
            <span
              className="absolute top-[3px] text-[10px] leading-none text-mute"
              style={{
                left: `${at}%`,
                transform: `translateX(${at < 3 ? "-1px" : at > 97 ? "-100%" : "-50%"})`,
              }}
            >
              {text}
            </span>
          )}
        </span>
      ))}
    </div>
  );
});

/** A ruled slider with a pointer: drag, Shift-drag fine, type a number with its unit, arrows, Backspace resets. */
export function Rule({ param, value, note, span, badge, onMove, onRest }: Props) {
  const [typed, setTyped] = useState<string | null>(null);
  const [wrong, setWrong] = useState(false);
  const scaled = scaledOf(param);
  const reset = typeof param.default === "number" ? param.default : scaled.low;
  const thumb = useRef<SVGSVGElement>(null);
  const startTyping = (first: string) => setTyped(first);
  const endTyping = () => {
    setTyped(null);
    setWrong(false);
  };
  const rule = useRule({ ...scaled, value, reset, onMove, onRest, onType: startTyping });
  const shown = formatValue(param, value);

  /** Take what was typed; false where it is no value of this rule. */
  const take = (text: string): boolean => {
    const number = parseValue(param, text);
    if (text.trim() !== "") {
      if (number === null || number < scaled.low || number > scaled.high) {
        setWrong(true);
        return false;
      }
      onMove(number);
      onRest();
    }
    endTyping();
    return true;
  };

  return (
    <div className="group/rule relative h-[44px]" data-param={param.name}>
      <div className="flex items-baseline justify-between gap-1">
        <LabelledControl param={param} badge={badge} />
        {typed === null ? (
          <button
            type="button"
            tabIndex={-1}
            className="shrink-0 cursor-text text-[13px] font-[640] hover:text-rim"
            title="Click to type a value"
            onClick={() => startTyping("")}
          >
            {shown}
            {note && <span className="cap"> {note}</span>}
          </button>
        ) : (
          <input
            autoFocus
            aria-label={`${param.label}, typed`}
            aria-invalid={wrong}
            title={
              wrong ? `${formatValue(param, scaled.low)} to ${formatValue(param, scaled.high)}` : undefined
            }
            placeholder={shown}
            className={`h-[17px] w-[84px] border bg-well px-1 text-right text-[12.5px] ${wrong ? "border-copper text-copper" : "border-rim"}`}
            value={typed}
            onChange={(event) => {
              setTyped(event.target.value);
              setWrong(false);
            }}
            onKeyDown={(event) => {
              event.stopPropagation();
              if (event.key === "Escape") endTyping();
              else if ((event.key !== "Enter" && event.key !== "Tab") || !take(typed)) {
                if (event.key === "Tab") event.preventDefault();
                return;
              }
              // the focus stays on the rule
              event.preventDefault();
              thumb.current?.focus();
            }}
            onFocus={({ target }) => target.setSelectionRange(target.value.length, target.value.length)}
            onBlur={endTyping}
          />
        )}
      </div>
      <Slider.Root
        className="relative mt-[3px] block h-[13px] cursor-pointer touch-none"
        min={scaled.low}
        max={scaled.high}
        step={(scaled.high - scaled.low) / 100000}
        value={[value]}
        {...rule}
        onDoubleClick={() => startTyping("")}
      >
        <Slider.Track className="absolute inset-x-0 top-[4px] block h-[3px] bg-line">
          <span
            className="absolute left-0 h-full bg-rim"
            style={{ width: span ? 0 : `${toShare(scaled, value) * 100}%` }}
          />
          {span && (
            <span
              className="absolute -top-px h-[5px] border border-rim bg-rim2"
              style={{
                left: `${toShare(scaled, span[0]) * 100}%`,
                width: `${Math.max(0.5, (toShare(scaled, span[1]) - toShare(scaled, span[0])) * 100)}%`,
              }}
            />
          )}
        </Slider.Track>
        {/* the thumb's place is ours: Radix lays values out evenly, a rule may be logarithmic */}
        <span className="pointer absolute top-0 z-10" style={{ left: `${toShare(scaled, value) * 100}%` }}>
          <Slider.Thumb
            asChild
            aria-label={param.label}
            aria-description={param.says}
            aria-valuetext={shown}
            onBlur={onRest}
          >
            <svg ref={thumb} width="11" height="13" className="-ml-[5.5px] block" viewBox="0 0 11 13">
              <path d="M.5 0h10v7.5l-5 5.5-5-5.5z" className={span ? "fill-copper" : "fill-ink"} />
            </svg>
          </Slider.Thumb>
        </span>
      </Slider.Root>
      <Ticks param={param} />
    </div>
  );
}
