import { useMemo, useState } from "react";
import type { Point } from "../api/types";
import { keyOf, useRiding } from "../state/automationRecording";
import type { Span } from "../state/store";
import { useBench } from "../state/store";
import { heardSong } from "../state/listening";
import { declaredAt } from "../tree/declarations";
import { xOf } from "../songmap/geometry";
import { Playhead } from "../ui/Playhead";
import { AutomationLane } from "./AutomationLane";
import { Tempo } from "./Tempo";
import { useGrid } from "./useGrid";

const NO_POINTS: Point[] = [];
const NO_TRACE: [number, Point["value"]][] = [];

/** Every ridden value over the song, one lane each, below the map. */
export function AutomationLanes({ view }: { view: Span }) {
  const automation = useBench((s) => s.recipe!.automation);
  const sections = useBench((s) => s.recipe!.sections);
  const stages = useBench((s) => s.stages)!;
  const traces = useRiding((s) => s.traces);
  const grid = useGrid();
  const [folded, setFolded] = useState(localStorage.getItem("lanes") === "folded");
  const lanes = useMemo(() => {
    const ridden = automation.map(({ target, param, points }) => ({
      target,
      path: param.replace(/^params\./, ""),
      points,
    }));
    // what is recorded for the first time has a lane at once
    const first = Object.keys(traces).flatMap((key) => {
      const [target = "", path = ""] = key.split(" ");
      const known = ridden.some((ride) => keyOf({ target: ride.target, param: ride.path }) === key);
      return known ? [] : [{ target, path, points: NO_POINTS }];
    });
    return [...ridden, ...first];
  }, [automation, traces]);
  if (lanes.length === 0) return null;
  const fold = () => {
    localStorage.setItem("lanes", folded ? "open" : "folded");
    setFolded(!folded);
  };
  return (
    <div
      role="group"
      aria-label="Automation"
      className="relative grid grid-cols-[118px_1fr_232px] border-t border-faint max-[1100px]:grid-cols-[104px_1fr_206px]"
    >
      <button
        type="button"
        aria-expanded={!folded}
        className="border-r border-faint pr-2 text-right text-[11px] text-mute hover:text-ink"
        onClick={fold}
      >
        {`Automation ${lanes.length}`} {folded ? "▸" : "▾"}
      </button>
      <span className="cap truncate px-2 leading-[17px]">
        {folded ? "" : "drag points · double-click adds a point or edits its value · Alt: no snapping"}
      </span>
      <Tempo />
      {!folded &&
        lanes.map(({ target, path, points }) => {
          const recipe = useBench.getState().recipe!;
          const found = declaredAt(stages, recipe, target, path);
          if (!found) return null;
          const key = keyOf({ target, param: path });
          return (
            <AutomationLane
              key={key}
              target={target}
              path={path}
              title={found.title}
              param={found.param}
              points={points}
              sections={sections}
              view={view}
              grid={grid}
              trace={traces[key] ?? NO_TRACE}
            />
          );
        })}
      {!folded && (
        <div className="pointer-events-none absolute inset-y-0 right-[232px] left-[118px] max-[1100px]:right-[206px] max-[1100px]:left-[104px]">
          <Playhead
            style={{ top: 17, bottom: 0 }}
            at={(width) => {
              const x = xOf(heardSong(), width, view);
              return x < 0 || x > width ? null : x;
            }}
          />
        </div>
      )}
    </div>
  );
}
