import { useEffect, useState } from "react";
import { listenAs } from "../state/listening";
import { rest } from "../state/saving";
import { useBench, useItems } from "../state/store";
import { formatDb, formatHz } from "../ui/format";
import { rangeOf } from "./bands";
import { PartCards } from "./PartCards";
import { PartFigures } from "./PartFigures";
import { changePart, readsOf } from "./selectedPart";
import type { Pin, PinStage } from "./bandHandles";
import { addPin, MOST_PINS, pinWords, removePin } from "./bandHandles";
import { DynamicBandsPicture } from "./DynamicBandsPicture";
import { SpectrumTools } from "../plots/SpectrumTools";
import { Presets } from "./Presets";
import { TimePicture } from "./TimePicture";

/** Pins that move by what they hear: where they are over the spectrum, the chosen one over time, its figures. */
export default function DynamicEqualizerView({ stage }: { stage: PinStage }) {
  const { bands: pins } = stage.params;
  const [picked, setPicked] = useState<string | null>(null);
  const chosen = pins.find(({ id }) => id === picked) ?? pins[0];
  const at = chosen ? pins.indexOf(chosen) : -1;
  const threshold = useItems("dynamic_equalizer", "bands").find(({ name }) => name === "threshold_db");
  return (
    <div className="grid h-full min-h-0 grid-cols-[minmax(0,1fr)] grid-rows-[26px_minmax(100px,1fr)_auto_minmax(0,196px)] gap-y-[6px]">
      <div className="tools">
        <Presets id={stage.id} kind={stage.kind} />
        <SpectrumTools />
        {chosen && <Alone pin={chosen} number={at + 1} />}
        {chosen && (
          <button
            type="button"
            className="plain whitespace-nowrap hover:text-copper"
            onClick={() => {
              removePin(stage, chosen.id);
              setPicked(null);
            }}
          >
            Remove band {at + 1}
          </button>
        )}
        <span className="cap min-w-0 truncate">bar: range · copper: now · dotted: maximum</span>
      </div>
      <DynamicBandsPicture stage={stage} chosen={chosen?.id ?? null} choose={setPicked} />
      <PartCards
        label="Bands"
        parts={pins.map((pin, i) => ({
          id: pin.id,
          title: `${i + 1} · ${pin.shape.replace("_", " ")} ${formatHz(pin.hz)}`,
          words: pinWords(pin),
          on: pin.on,
        }))}
        chosen={chosen?.id ?? null}
        choose={setPicked}
        add={
          pins.length < MOST_PINS
            ? { label: "+ band", act: () => setPicked(addPin(stage, { hz: 3000 })) }
            : undefined
        }
      />
      {chosen ? (
        <div className="grid min-h-0 grid-cols-[minmax(170px,28%)_1fr] gap-[10px] pb-2">
          <TimePicture
            key={chosen.id}
            stage={stage}
            reads={readsOf(chosen.id)}
            heardIs={`detector of band ${at + 1}`}
            deepestDb={-84}
            level={{
              db: chosen.threshold_db,
              label: formatDb(chosen.threshold_db),
              onMove: (db) => threshold && changePart(stage, chosen.id, threshold, Math.max(-80, db), false),
              onRest: rest,
            }}
            effortDb={6}
          />
          <PartFigures
            stage={stage}
            part={chosen}
            label={`Pin ${at + 1}`}
            isIdle={(name) =>
              (!chosen.on && name !== "on") ||
              (chosen.timing === "by_frequency" && (name === "attack_ms" || name === "release_ms"))
            }
          />
        </div>
      ) : (
        <p className="self-start text-mute">
          A band stays at its gain and moves through its range when its detector crosses the threshold.
          Double-click the picture to add one.
        </p>
      )}
    </div>
  );
}

/** Hear only what a pin hears, until pressed again. */
function Alone({ pin, number }: { pin: Pin; number: number }) {
  const listening = useBench((s) => s.listening);
  const range = rangeOf({ ...pin, shape: pin.shape === "flat_top" ? "bell" : pin.shape });
  const on =
    listening.range === "band" && listening.low_hz === range.low_hz && listening.high_hz === range.high_hz;
  useEffect(() => {
    if (!on) return;
    return () => listenAs({ range: "all", fold: "stereo" });
  }, [on]);
  return (
    <button
      type="button"
      aria-pressed={on}
      className={`plain shrink-0 ${on ? "border-copper! bg-copper! text-on-rim" : ""}`}
      onClick={() =>
        listenAs(on ? { range: "all", fold: "stereo" } : { range: "band", ...range, fold: pin.channels })
      }
    >
      Solo band {number}
    </button>
  );
}
