import { useState } from "react";
import type { Band, Channels, Stage } from "../api/types";
import { setParam } from "../bench/editing";
import { listenAs } from "../bench/listening";
import { edit, rest } from "../bench/edits";
import { useBench } from "../bench/store";
import { useSurvey } from "../bench/useSurvey";
import { Choice } from "../ui/Choice";
import { Rule } from "../ui/Rule";
import { Segments } from "../ui/Segments";
import {
  addBand,
  bandWords,
  cardWords,
  changeBand,
  copyToOther,
  hasGain,
  isPass,
  MOST_BANDS,
  rangeOf,
  SHAPES,
} from "./bands";
import { changeBands, EqualizerPicture } from "./EqualizerPicture";
import { SpectrumTools } from "./SpectrumTools";

type EqualizerStage = Extract<Stage, { kind: "equalizer" }>;
const CHANNELS: { value: Channels; label: string }[] = [
  { value: "stereo", label: "stereo" },
  { value: "mid", label: "mid" },
  { value: "side", label: "side" },
  { value: "left", label: "left" },
  { value: "right", label: "right" },
];
const SLOPES = ["6", "12", "18", "24", "36", "48", "72", "96"].map((value) => ({
  value,
  label: `${value} dB/oct`,
}));

/** The equalizer's picture, its moves as cards, and the chosen one's figures. */
export function EqualizerEditor({ stage }: { stage: EqualizerStage }) {
  const { bands } = stage.params;
  const measured = useSurvey()?.notes?.[stage.id] ?? [];
  const notes = [...measured, ...(useBench((s) => s.described[stage.id]?.picture.notes) ?? [])];
  const [picked, setPicked] = useState<string | null>(null);
  const [searching, setSearching] = useState(false);
  const chosen = bands.find(({ id }) => id === picked) ?? bands[0];
  const search = (next: boolean) => {
    setSearching(next);
    if (!next) listenAs({ range: "all" });
  };
  return (
    <div className="grid h-full min-h-0 grid-cols-[minmax(0,1fr)] grid-rows-[26px_minmax(120px,1fr)_auto_auto] gap-y-[6px]">
      <div className="flex items-center gap-3">
        <Segments
          label="Phase"
          value={stage.params.phase}
          options={[
            { value: "minimum", label: "minimum phase" },
            { value: "linear", label: "linear phase" },
          ]}
          onChange={(phase) => {
            const { recipe } = useBench.getState();
            if (recipe) edit(setParam(recipe, stage.id, "phase", phase), `Equalizer: ${phase} phase`, true);
          }}
        />
        <SpectrumTools />
        <button
          type="button"
          aria-pressed={searching}
          title="A narrow band follows the pointer over the spectrum; a click places a pin there"
          className={`plain ${searching ? "border-copper! bg-copper! text-on-rim" : ""}`}
          onClick={() => search(!searching)}
        >
          search
        </button>
        {chosen && <Solo band={chosen} number={bands.indexOf(chosen) + 1} />}
        {notes.length ? (
          <span className="min-w-0 truncate text-mustard" title={notes.join("\n")}>
            {notes[0]}
          </span>
        ) : (
          <span className="cap min-w-0 truncate">double-click: a pin · wheel: Q · filled: compared with</span>
        )}
      </div>
      <EqualizerPicture stage={stage} chosen={chosen?.id ?? null} choose={setPicked} searching={searching} />
      <Cards stage={stage} chosen={chosen?.id ?? null} choose={setPicked} />
      {chosen && <Figures stage={stage} band={chosen} choose={setPicked} />}
    </div>
  );
}

/** Hear only the range of a band, until released or pressed again. */
function Solo({ band, number }: { band: Band; number: number }) {
  const listening = useBench((s) => s.listening);
  const range = rangeOf(band);
  const on =
    listening.range === "band" && listening.low_hz === range.low_hz && listening.high_hz === range.high_hz;
  const fold = band.channels === "stereo" ? "stereo" : band.channels;
  return (
    <button
      type="button"
      aria-pressed={on}
      className={`plain shrink-0 ${on ? "border-copper! bg-copper! text-on-rim" : ""}`}
      onClick={() => listenAs(on ? { range: "all", fold: "stereo" } : { range: "band", ...range, fold })}
    >
      pin {number} alone
    </button>
  );
}

function Cards({
  stage,
  chosen,
  choose,
}: {
  stage: EqualizerStage;
  chosen: string | null;
  choose: (id: string) => void;
}) {
  const { bands } = stage.params;
  return (
    <div className="flex overflow-x-auto border border-line" role="group" aria-label="Bands">
      {bands.map((band, index) => (
        <button
          key={band.id}
          type="button"
          aria-pressed={band.id === chosen}
          onClick={() => choose(band.id)}
          className={`min-w-[112px] flex-1 border-r border-line border-t-[3px] px-2 pt-[3px] pb-[5px] text-left ${band.id === chosen ? "border-t-copper bg-well" : "border-t-line"} ${band.on ? "" : "opacity-50"}`}
        >
          <span className="flex gap-2">
            <b className="truncate font-[650]">
              {index + 1} · {band.shape.replace("_", " ")}
            </b>
            <span className={`ml-auto text-[10.5px] ${band.channels === "side" ? "text-plum" : "text-mute"}`}>
              {band.channels}
            </span>
          </span>
          <span className="block truncate text-[11.5px]" title={bandWords(band)}>
            {cardWords(band)}
          </span>
        </button>
      ))}
      {bands.length < MOST_BANDS && (
        <button
          type="button"
          className="min-w-[76px] px-3 text-left font-semibold text-rim hover:bg-rim2"
          onClick={() => {
            const made = addBand(bands, { hz: 1000 });
            changeBands(stage, made.bands, "band added", true);
            choose(made.id);
          }}
        >
          + band
        </button>
      )}
    </div>
  );
}

/** All figures of the chosen band. */
function Figures({
  stage,
  band,
  choose,
}: {
  stage: EqualizerStage;
  band: Band;
  choose: (id: string | null) => void;
}) {
  const params = useBench((s) => s.stages?.band ?? []);
  const param = (name: string) => params.find((p) => p.name === name)!;
  const { bands } = stage.params;
  const number = bands.indexOf(band) + 1;
  const change = (fields: Partial<Band>, resting = false) =>
    changeBands(
      stage,
      changeBand(bands, band.id, fields),
      `band ${number} ${bandWords({ ...band, ...fields })}`,
      resting,
    );
  return (
    <section
      aria-label={`Band ${number}`}
      className="grid grid-cols-[auto_1fr_1fr_1fr_auto] items-start gap-x-4 pb-2"
    >
      <div className="flex flex-col gap-1">
        <Choice
          label={`Shape of band ${number}`}
          value={band.shape}
          options={SHAPES}
          onChange={(shape) => change({ shape: shape as Band["shape"] }, true)}
        />
        <Choice
          label={`Band ${number} treats`}
          value={band.channels}
          options={CHANNELS}
          onChange={(channels) => change({ channels: channels as Channels }, true)}
        />
      </div>
      <Rule param={param("hz")} value={band.hz} onMove={(hz) => change({ hz })} onRest={rest} />
      {hasGain(band) ? (
        <Rule
          param={param("gain_db")}
          value={band.gain_db}
          onMove={(gain_db) => change({ gain_db })}
          onRest={rest}
        />
      ) : isPass(band) ? (
        <label className="flex flex-col items-start gap-1">
          Slope
          <Choice
            label={`Slope of band ${number}`}
            value={String(band.slope)}
            options={SLOPES}
            onChange={(slope) => change({ slope: Number(slope) as Band["slope"] }, true)}
          />
        </label>
      ) : (
        <span />
      )}
      <Rule param={param("q")} value={band.q} onMove={(q) => change({ q })} onRest={rest} />
      <div className="flex flex-col gap-1">
        <button
          type="button"
          className="plain py-[2px]!"
          aria-pressed={!band.on}
          onClick={() => change({ on: !band.on }, true)}
        >
          {band.on ? "off" : "on"}
        </button>
        <button
          type="button"
          className="plain py-[2px]!"
          onClick={() => {
            const copied = copyToOther(bands, band.id);
            changeBands(stage, copied.bands, `band ${number} copied`, true);
            choose(copied.id);
          }}
        >
          copy across
        </button>
        <button
          type="button"
          className="plain py-[2px]! hover:text-copper"
          onClick={() => {
            changeBands(
              stage,
              bands.filter(({ id }) => id !== band.id),
              `band ${number} removed`,
              true,
            );
            choose(null);
          }}
        >
          remove
        </button>
      </div>
    </section>
  );
}
