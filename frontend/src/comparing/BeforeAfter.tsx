import { useQuery } from "@tanstack/react-query";
import { useCallback, useState } from "react";
import { api, panelPath } from "../api/client";
import type { Panel, Passage } from "../api/types";
import { useBench } from "../state/store";
import { keyedOthers, stageTitles, useNamed } from "../listening/useNamed";
import { nameOf } from "../listening/words";
import type { Axis, Frame } from "../plots/plot";
import { drawBand, drawGridX, drawGridY, drawLine, HZ_TICKS, hzLabel, xAt, yAt } from "../plots/plot";
import { FIGURES } from "./figures";
import { Choice } from "../ui/Choice";
import { formatDb } from "../ui/format";
import { Segments } from "../ui/Segments";
import { useCanvas } from "../ui/useCanvas";

const HZ: Axis = { low: 8, high: 22000, log: true };
const DB: Axis = { low: -90, high: -10 };
const CURVES = [
  { value: "average_db", label: "average" },
  { value: "maximum_db", label: "maximum" },
] as const;

/** Spectra and figures of a passage, before and after. */
export function BeforeAfter() {
  const song = useBench((s) => s.song)!;
  const recipe = useBench((s) => s.recipe)!;
  const revision = useBench((s) => s.revision?.id ?? 0);
  const loop = useBench((s) => s.loop);
  const named = useNamed();
  const [other, setOther] = useState("received");
  const [where, setWhere] = useState(loop ? "loop" : "song");
  const [curve, setCurve] = useState<"average_db" | "maximum_db">("average_db");
  const section = recipe.sections.find(({ id }) => id === where);
  const [from, to] = section
    ? [section.start_s * song.rate_hz, section.end_s * song.rate_hz]
    : where === "loop" && loop
      ? loop
      : [0, song.frames];
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
            value={where}
            options={[
              { value: "song", label: "whole song" },
              ...(loop ? [{ value: "loop", label: "the loop" }] : []),
              ...recipe.sections.map(({ id, name }) => ({ value: id, label: name })),
            ]}
            onChange={setWhere}
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
        <button
          type="button"
          className="font-[620] text-rim hover:underline"
          onClick={() => savePicture(document.getElementById("before-after"))}
        >
          PNG
        </button>
      </div>
      {panel ? (
        <>
          <Spectra panel={panel} curve={curve} />
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

function savePicture(found: HTMLElement | null): void {
  if (!(found instanceof HTMLCanvasElement)) return;
  const link = document.createElement("a");
  link.href = found.toDataURL("image/png");
  link.download = "before-after.png";
  link.click();
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
        context.fillStyle = getComputedStyle(document.documentElement).getPropertyValue("--color-ink");
        context.textAlign = "left";
        context.font = "650 12px 'Archivo Variable', sans-serif";
        context.fillText(`${name}: grey before, ${part === 0 ? "blue" : "plum"} after`, frame.left + 8, 26);
      });
    },
    [panel, curve],
  );
  return (
    <div className="picture mt-3 h-[250px]">
      <canvas
        ref={useCanvas(draw)}
        id="before-after"
        role="img"
        aria-label="Spectra of mid and side, before and after"
      />
    </div>
  );
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
