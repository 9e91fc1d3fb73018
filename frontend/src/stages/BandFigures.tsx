import type { Band, Channels } from "../api/types";
import { AutomatedRule } from "../automation/AutomatedRule";
import { rest } from "../state/saving";
import { useItems } from "../state/store";
import { Choice } from "../ui/Choice";
import { bandWords, changeBand, copyToOther, hasGain, isPass, SHAPES } from "./bands";
import { changeBands } from "./bandEdits";
import type { EqualizerStage } from "./bandEdits";

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

/** All figures of the chosen band. */
export function BandFigures({
  stage,
  band,
  choose,
}: {
  stage: EqualizerStage;
  band: Band;
  choose: (id: string | null) => void;
}) {
  const params = useItems("equalizer", "bands");
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
          label={`Channels of band ${number}`}
          value={band.channels}
          options={CHANNELS}
          onChange={(channels) => change({ channels: channels as Channels }, true)}
        />
      </div>
      <AutomatedRule
        target={stage.id}
        path={`bands.${band.id}.hz`}
        param={param("hz")}
        value={band.hz}
        onMove={(hz) => change({ hz })}
        onRest={rest}
      />
      {hasGain(band) ? (
        <AutomatedRule
          target={stage.id}
          path={`bands.${band.id}.gain_db`}
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
      <AutomatedRule
        target={stage.id}
        path={`bands.${band.id}.q`}
        param={param("q")}
        value={band.q}
        onMove={(q) => change({ q })}
        onRest={rest}
      />
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
