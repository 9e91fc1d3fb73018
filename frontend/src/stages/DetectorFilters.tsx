import { memo } from "react";
import type { DetectorFilter, Param } from "../api/types";
import { useItems } from "../state/store";
import { Rule } from "../ui/Rule";
import { Segments } from "../ui/Segments";
import { changeFilters, letGo, moveFilter, useFollow } from "./detector";

const SHAPES = [
  { value: "high_pass", label: "above" },
  { value: "low_pass", label: "below" },
  { value: "bell", label: "bell" },
  { value: "high_shelf", label: "highs" },
  { value: "low_shelf", label: "lows" },
] as const;
const SLOPES = ["6", "12", "24"].map((value) => ({ value, label: value }));
const MOST = 3;
const FRESH: DetectorFilter = { kind: "high_pass", hz: 100, q: 0.707, gain_db: 0, slope: 12 };

interface Props {
  stage: string;
  filters: DetectorFilter[];
}

/** What the detector hears through: up to three filters, none of which the sound itself passes. */
export const DetectorFilters = memo(function DetectorFilters({ stage, filters }: Props) {
  const params = useItems("compressor", "detector_filters");
  const follows = useFollow((s) => s.follows);
  const change = (next: DetectorFilter[], label: string) => changeFilters(stage, next, label, true);
  return (
    <section aria-label="Detector filters" className="order-last col-span-full border-t border-faint pt-1">
      <div className="flex items-center gap-3">
        <span>Detector filters</span>
        {filters.length === 0 && <span className="text-mute">everything</span>}
        {filters.length < MOST && (
          <button
            type="button"
            className="font-semibold text-rim hover:underline"
            onClick={() => change([...filters, FRESH], "filter added")}
          >
            + Detector filter
          </button>
        )}
        <label className="ml-auto flex items-center gap-1 text-mute">
          <input
            type="checkbox"
            className="accent-rim"
            checked={follows}
            onChange={(event) => useFollow.setState({ follows: event.target.checked })}
          />
          listen while dragging
        </label>
        <span className="cap">filters the detector only</span>
      </div>
      {filters.map((filter, index) => (
        <Filter
          key={index}
          number={index + 1}
          filter={filter}
          params={params}
          onChange={(fields, resting) => moveFilter(stage, filters, index, fields, resting)}
          onRemove={() =>
            change(
              filters.filter((_, i) => i !== index),
              "filter removed",
            )
          }
        />
      ))}
    </section>
  );
});

interface FilterProps {
  number: number;
  filter: DetectorFilter;
  params: Param[];
  onChange: (fields: Partial<DetectorFilter>, resting?: boolean) => void;
  onRemove: () => void;
}

function Filter({ number, filter, params, onChange, onRemove }: FilterProps) {
  const param = (name: string) => params.find((p) => p.name === name);
  const [hz, q, gain] = [param("hz"), param("q"), param("gain_db")];
  const isPass = filter.kind === "high_pass" || filter.kind === "low_pass";
  return (
    <div className="grid grid-cols-[auto_1fr_1fr_auto] items-start gap-x-5 pb-1">
      <div className="pt-1">
        <Segments
          label={`Detector filter ${number}`}
          value={filter.kind}
          options={SHAPES}
          onChange={(kind) => onChange({ kind }, true)}
        />
      </div>
      {hz && <Rule param={hz} value={filter.hz} onMove={(value) => onChange({ hz: value })} onRest={letGo} />}
      {isPass ? (
        <label className="flex items-center gap-2 pt-1">
          slope
          <Segments
            label={`Slope of detector filter ${number}, dB/oct`}
            value={String(filter.slope)}
            options={SLOPES}
            onChange={(slope) => onChange({ slope: Number(slope) as DetectorFilter["slope"] }, true)}
          />
          <span className="cap">dB/oct</span>
        </label>
      ) : (
        <div className="grid grid-cols-2 gap-3">
          {gain && (
            <Rule
              param={gain}
              value={filter.gain_db}
              onMove={(value) => onChange({ gain_db: value })}
              onRest={letGo}
            />
          )}
          {q && <Rule param={q} value={filter.q} onMove={(value) => onChange({ q: value })} onRest={letGo} />}
        </div>
      )}
      <button
        type="button"
        aria-label={`Remove detector filter ${number}`}
        className="pt-1 text-[14px] leading-none text-mute hover:text-copper"
        onClick={onRemove}
      >
        ×
      </button>
    </div>
  );
}
