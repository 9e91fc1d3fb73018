import { useQuery } from "@tanstack/react-query";
import { useCallback, useState } from "react";
import { api, panelPath } from "../api/client";
import type { Panel, Passage } from "../api/types";
import { useBench } from "../state/store";
import { usePassageChoice } from "../state/usePassageChoice";
import { keyedOthers, stageTitles, useCompareNames } from "../listening/useCompareNames";
import { nameOf } from "../listening/listeningText";
import type { Frame } from "../plots/plot";
import {
  drawBand,
  drawGridX,
  drawGridY,
  drawLine,
  drawTitle,
  HZ_TICKS,
  hzLabel,
  xAt,
  yAt,
} from "../plots/plot";
import { ComparedPicture, savePicture } from "./ComparedPicture";
import { FIGURES } from "./figures";
import { PerceivedLoudness } from "./PerceivedLoudness";
import { Choice } from "../ui/Choice";
import { formatDb } from "../ui/format";
import type { Axis } from "../ui/scale";
import { Segments } from "../ui/Segments";

const HZ: Axis = { low: 8, high: 22000, log: true };
const DB: Axis = { low: -90, high: -10 };
const CURVES = [
  { value: "average_db", label: "average" },
  { value: "maximum_db", label: "maximum" },
  { value: "ear", label: "perceived" },
] as const;

/** Spectra and figures of a passage, before and after. */
export function BeforeAfter() {
  const song = useBench((s) => s.song)!;
  const revision = useBench((s) => s.revision?.id ?? 0);
  const named = useCompareNames();
  const [other, setOther] = useState("received");
  const passage = usePassageChoice();
  const [curve, setCurve] = useState<(typeof CURVES)[number]["value"]>("average_db");
  const [from, to] = passage.span;
  const { data } = useQuery({
    queryKey: ["panel", song.id, revision, other, from, to],
    queryFn: () => api.panel(song.id, other, from, to),
    refetchInterval: ({ state }) => (state.data?.state === "done" ? false : 400),
  });
  const panel = data?.state === "done" ? (data as Panel) : null;
  const titles = stageTitles();
  return (
    <>
      <div className="flex items-center gap-4">
        <label className="flex items-center gap-2">
          before
          <Choice
            label="Before"
            value={other}
            options={keyedOthers(named)
              .filter((value) => value !== "now")
              .map((value) => ({ value, label: nameOf(value, named, titles) }))}
            onChange={setOther}
          />
        </label>
        <label className="flex items-center gap-2">
          passage
          <Choice
            label="Passage"
            value={passage.where}
            options={passage.options}
            onChange={passage.setWhere}
          />
        </label>
        <Segments label="Spectrum" value={curve} options={CURVES} onChange={setCurve} />
        <a
          className="ml-auto font-[620] text-rim hover:underline"
          href={`/api${panelPath(song.id, other, from, to)}&format=csv`}
          download="before-after.csv"
        >
          CSV
        </a>
        <button type="button" className="font-[620] text-rim hover:underline" onClick={savePicture}>
          PNG
        </button>
      </div>
      {panel ? (
        <>
          {curve === "ear" ? (
            <PerceivedLoudness other={other} from={from} to={to} />
          ) : (
            <Spectra panel={panel} curve={curve} />
          )}
          <Figures panel={panel} />
        </>
      ) : (
        <p className="py-8 text-center text-mute" role="status">
          surveying … {Math.round(((data as { progress?: number } | undefined)?.progress ?? 0) * 100)} %
        </p>
      )}
    </>
  );
}

function Spectra({ panel, curve }: { panel: Panel; curve: "average_db" | "maximum_db" }) {
  const draw = useCallback(
    (context: CanvasRenderingContext2D, width: number, height: number) => {
      const half = (width - 20) / 2;
      ([0, 1] as const).forEach((part) => {
        const name = part === 0 ? "Mid" : "Side";
        const frame: Frame = {
          left: 34 + part * (half + 20),
          top: 12,
          width: half - 40,
          height: height - 34,
        };
        drawGridX(context, frame, HZ, HZ_TICKS, hzLabel);
        drawGridY(context, frame, DB, [-10, -30, -50, -70, -90]);
        const y = (db: number) => yAt(frame, DB, Math.max(DB.low, Math.min(DB.high, db)));
        const xs = panel.before.hz.map((hz) => xAt(frame, HZ, hz));
        if (panel.spread)
          drawBand(context, frame, xs, panel.spread.low_db[part].map(y), panel.spread.high_db[part].map(y));
        drawLine(context, frame, xs, panel.before[curve][part].map(y), { ink: "tin", width: 1.8 });
        const ink = part === 0 ? "rim" : "plum";
        drawLine(context, frame, xs, panel.after[curve][part].map(y), { ink, width: 1.8 });
        drawTitle(context, frame, `${name}: grey before, ${part === 0 ? "blue" : "plum"} after`);
      });
    },
    [panel, curve],
  );
  return <ComparedPicture draw={draw} label="Spectra of mid and side, before and after" />;
}

function Figures({ panel }: { panel: Panel }) {
  const states: [string, Passage][] = [
    ["before", panel.before],
    ["after", panel.after],
  ];
  return (
    <div className="mt-3 grid grid-cols-2 gap-8">
      <table aria-label="Figures" className="text-left">
        <thead className="cap">
          <tr>
            <td />
            {states.map(([name]) => (
              <th key={name} className="font-[500]">
                {name}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {FIGURES.map(([label, key, unit]) => (
            <tr key={key} className="border-t border-faint">
              <td className="py-[3px]">{label}</td>
              {states.map(([name, state]) => (
                <td key={name}>{formatDb(state[key], false, unit)}</td>
              ))}
            </tr>
          ))}
        </tbody>
      </table>
      <table aria-label="By range" className="self-start text-left">
        <thead className="cap">
          <tr>
            <th className="font-[500]">range</th>
            <th className="font-[500]">level</th>
            <th className="font-[500]">crest</th>
            <th className="font-[500]">side</th>
          </tr>
        </thead>
        <tbody>
          {panel.before.ranges.map((range, index) => {
            const after = panel.after.ranges[index]!;
            return (
              <tr key={range.name} className="border-t border-faint">
                <td className="py-[3px]">{range.name}</td>
                <td>
                  {formatDb(range.level_db, false, "")} → {formatDb(after.level_db)}
                </td>
                <td>
                  {formatDb(range.crest_db, false, "")} → {formatDb(after.crest_db)}
                </td>
                <td>
                  {(range.side_share * 100).toFixed(1)} → {(after.side_share * 100).toFixed(1)} %
                </td>
              </tr>
            );
          })}
        </tbody>
      </table>
    </div>
  );
}
