import { useEffect, useState } from "react";
import type { Band } from "../api/types";
import { setParam } from "../state/editing";
import { listenAs } from "../state/listening";
import { edit } from "../state/edits";
import { useBench } from "../state/store";
import { useSurvey } from "../state/useSurvey";
import { Segments } from "../ui/Segments";
import { rangeOf } from "./bands";
import { BandCards } from "./BandCards";
import { BandFigures } from "./BandFigures";
import type { EqualizerStage } from "./bandEdits";
import { EqualizerPicture } from "./EqualizerPicture";
import { SpectrumTools } from "../plots/SpectrumTools";

/** The equalizer's picture, its moves as cards, and the chosen one's figures. */
export default function EqualizerEditor({ stage }: { stage: EqualizerStage }) {
  const { bands } = stage.params;
  const measured = useSurvey()?.notes?.[stage.id] ?? [];
  const notes = [...measured, ...(useBench((s) => s.described[stage.id]?.picture.notes) ?? [])];
  const [picked, setPicked] = useState<string | null>(null);
  const [searching, setSearching] = useState(false);
  const chosen = bands.find(({ id }) => id === picked) ?? bands[0];
  useEffect(() => {
    if (!searching) return;
    // the narrow band goes when the search ends, also by leaving the equalizer
    return () => listenAs({ range: "all" });
  }, [searching]);
  return (
    <div className="grid h-full min-h-0 grid-cols-[minmax(0,1fr)] grid-rows-[26px_minmax(120px,1fr)_auto_auto] gap-y-[6px]">
      <div className="tools">
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
          title="A narrow band follows the pointer over the spectrum; a click makes a band there"
          className={`plain ${searching ? "border-copper! bg-copper! text-on-rim" : ""}`}
          onClick={() => setSearching(!searching)}
        >
          Sweep
        </button>
        {chosen && <Solo band={chosen} number={bands.indexOf(chosen) + 1} />}
        {notes.length ? (
          <span className="min-w-0 truncate text-mustard" title={notes.join("\n")}>
            {notes[0]}
          </span>
        ) : (
          <span className="cap min-w-0 truncate">double-click: new band · wheel: Q</span>
        )}
      </div>
      <EqualizerPicture stage={stage} chosen={chosen?.id ?? null} choose={setPicked} searching={searching} />
      <BandCards stage={stage} chosen={chosen?.id ?? null} choose={setPicked} />
      {chosen && <BandFigures stage={stage} band={chosen} choose={setPicked} />}
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
      Solo band {number}
    </button>
  );
}
