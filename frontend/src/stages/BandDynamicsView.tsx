import { useState } from "react";
import type { Stage } from "../api/types";
import { setParams } from "../state/editing";
import { edit } from "../state/edits";
import { listenAs } from "../state/listening";
import { rest } from "../state/saving";
import { useBench, useItems } from "../state/store";
import { cornersFor } from "../tree/splits";
import { formatDb, formatHz } from "../ui/format";
import { BandsPicture } from "./BandsPicture";
import { PartCards } from "./PartCards";
import { PartFigures } from "./PartFigures";
import { changePart, readsOf } from "./selectedPart";
import { SpectrumTools } from "../plots/SpectrumTools";
import { Presets } from "./Presets";
import { TimePicture } from "./TimePicture";

type BandStage = Extract<Stage, { kind: "band_dynamics" }>;
type Part = BandStage["params"]["bands"][number];

const MOST = 5;
const LEAST = 2;
const DOES: Record<Part["mode"], string> = { compress: "down above", expand: "down below", lift: "up below" };

function words(band: Part): string {
  if (!band.on) return "off";
  const gain = band.gain_db ? ` ${formatDb(band.gain_db, true)}` : "";
  if (band.ratio <= 1 || band.range_db === 0) return gain.trim() || "left alone";
  return `${Number(band.ratio.toPrecision(2))}:1 ${DOES[band.mode]} ${formatDb(band.threshold_db)}${gain}`;
}

/** The stage with so many bands: the widest is halved, or the last one is taken away. */
function withBands(stage: BandStage, count: number): void {
  const { recipe } = useBench.getState();
  if (!recipe) return;
  const { bands, crossovers_hz: corners } = stage.params;
  const fresh = ["a", "b", "c", "d", "e", "f"].find((id) => bands.every((band) => band.id !== `band-${id}`));
  const made = [...bands, { ...bands.at(-1)!, id: `band-${fresh}` }].slice(0, count);
  edit(
    setParams(recipe, stage.id, { bands: made, crossovers_hz: cornersFor(corners, count) }),
    `Band dynamics: ${count} bands`,
    true,
  );
}

/** Two to five bands: their gains over the spectrum, the chosen one's level over time with its threshold, its figures. */
export default function BandDynamicsView({ stage }: { stage: BandStage }) {
  const { bands, crossovers_hz: corners } = stage.params;
  const [picked, setPicked] = useState(bands[0]!.id);
  const chosen = bands.find(({ id }) => id === picked) ?? bands[0]!;
  const at = bands.indexOf(chosen);
  const [low, high] = [corners[at - 1] ?? 20, corners[at] ?? 20000];
  const listening = useBench((s) => s.listening);
  const alone = listening.range === "band" && listening.low_hz === low && listening.high_hz === high;
  const threshold = useItems("band_dynamics", "bands").find(({ name }) => name === "threshold_db");
  return (
    <div className="grid h-full min-h-0 grid-cols-[minmax(0,1fr)] grid-rows-[26px_minmax(100px,1fr)_auto_minmax(0,176px)] gap-y-[6px]">
      <div className="tools">
        <Presets id={stage.id} kind={stage.kind} />
        <SpectrumTools />
        <button
          type="button"
          className="plain shrink-0 whitespace-nowrap"
          disabled={bands.length >= MOST}
          onClick={() => withBands(stage, bands.length + 1)}
        >
          + band
        </button>
        <button
          type="button"
          className="plain shrink-0 whitespace-nowrap"
          disabled={bands.length <= LEAST}
          onClick={() => withBands(stage, bands.length - 1)}
        >
          − band
        </button>
        <button
          type="button"
          aria-pressed={alone}
          className={`plain shrink-0 ${alone ? "border-copper! bg-copper! text-on-rim" : ""}`}
          onClick={() => listenAs(alone ? { range: "all" } : { range: "band", low_hz: low, high_hz: high })}
        >
          Solo band {at + 1}
        </button>
        <span className="cap min-w-0 truncate">copper: now · dashed: static · Alt: all bands</span>
      </div>
      <BandsPicture stage={stage} chosen={chosen.id} choose={setPicked} />
      <PartCards
        label="Bands"
        parts={bands.map((band, i) => ({
          id: band.id,
          title: `${i + 1} · ${formatHz(corners[i - 1] ?? 20)} – ${formatHz(corners[i] ?? 20000)}`,
          words: words(band),
          on: band.on,
        }))}
        chosen={chosen.id}
        choose={setPicked}
      />
      <div className="grid min-h-0 grid-cols-[minmax(170px,28%)_1fr] gap-[10px] pb-2">
        <TimePicture
          key={chosen.id}
          stage={stage}
          reads={readsOf(chosen.id)}
          heardIs={`band ${at + 1}`}
          deepestDb={-72}
          level={{
            db: chosen.threshold_db,
            label: formatDb(chosen.threshold_db),
            onMove: (db) => threshold && changePart(stage, chosen.id, threshold, Math.max(-60, db), false),
            onRest: rest,
          }}
          effortDb={6}
        />
        <PartFigures
          stage={stage}
          part={chosen}
          label={`Band ${at + 1}`}
          isIdle={(name) => !chosen.on && name !== "on"}
        />
      </div>
    </div>
  );
}
