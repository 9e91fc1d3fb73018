import { addBand, bandWords, cardWords, MOST_BANDS } from "./bands";
import { changeBands } from "./bandEdits";
import type { EqualizerStage } from "./bandEdits";

/** The bands side by side, to be chosen. */
export function BandCards({
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
          className={`min-w-[112px] flex-1 border-r border-line border-t-[3px] px-2 pt-[3px] pb-[5px] text-left ${band.id === chosen ? "border-t-copper bg-well" : "border-t-line"} ${band.on ? "" : "stale"}`}
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
