import type { Channels, Stage } from "../api/types";
import { paramLabel, setField, setParam, stageOf } from "../bench/editing";
import { compare, listen } from "../bench/listening";
import { edit, rest } from "../bench/edits";
import { kindInfo, paramInfo, useBench } from "../bench/store";
import type { Tap } from "../live/protocol";
import { formatDb } from "../ui/format";
import { Segments } from "../ui/Segments";
import { useCompressorPicture } from "./compressor";
import { CompressorTools } from "./CompressorTools";
import { Controls } from "./Controls";
import { CurvePicture } from "./CurvePicture";
import { DetectorPicture } from "./DetectorPicture";
import { EqualizerEditor } from "./EqualizerEditor";
import { FilterPicture } from "./FilterPicture";
import { SplitPicture } from "./SplitPicture";
import { TimePicture } from "./TimePicture";

const CHANNEL_NAMES: Record<Channels, string> = {
  stereo: "Stereo",
  mid: "Mid",
  side: "Side",
  left: "Left",
  right: "Right",
};
/** The chosen stage: its name, what it treats, how it is heard, its picture and its rules. */
export function StageEditor() {
  const recipe = useBench((s) => s.recipe)!;
  const selected = useBench((s) => s.selected);
  const stage = stageOf(recipe, selected);
  if (!stage)
    return (
      <section aria-label="Stage" className="grid place-items-center bg-enamel text-mute">
        Choose a stage in the chain, or add one.
      </section>
    );
  if (stage.kind === "equalizer")
    return (
      <section
        aria-label="Stage"
        className="grid min-h-0 min-w-0 grid-cols-[minmax(0,1fr)] grid-rows-[30px_minmax(0,1fr)] gap-y-1 bg-enamel px-[14px] pt-[8px]"
      >
        <Heading stage={stage} />
        <EqualizerEditor key={stage.id} stage={stage} />
      </section>
    );
  return (
    <section
      aria-label="Stage"
      className={`grid min-h-0 min-w-0 grid-cols-[minmax(0,1fr)] gap-y-2 bg-enamel px-[14px] pt-[8px] ${stage.kind === "compressor" ? "grid-rows-[30px_26px_minmax(120px,1fr)_minmax(0,max-content)]" : "grid-rows-[30px_minmax(130px,1fr)_minmax(0,max-content)]"}`}
    >
      <Heading stage={stage} />
      {stage.kind === "compressor" && <CompressorTools stage={stage} />}
      <Picture stage={stage} />
      <Controls stage={stage} />
    </section>
  );
}

function Heading({ stage }: { stage: Stage }) {
  const tap = useBench((s) => s.tap);
  const heard = useBench((s) => s.heard);
  const info = kindInfo(stage.kind);
  if (!info) return null;
  const set = (fields: Parameters<typeof setField>[2], label: string) => {
    const { recipe } = useBench.getState();
    if (recipe) edit(setField(recipe, stage.id, fields), `${info.title}: ${label}`, true);
  };
  const taps: { value: Tap; label: string }[] = [
    { value: "result", label: "result" },
    { value: "removed", label: "what it removes" },
  ];
  if (stage.kind === "compressor") taps.push({ value: "detector", label: "what it listens to" });
  const without = `without:${stage.id}`;
  return (
    <div className="flex items-center gap-x-[12px] max-[1100px]:gap-x-[7px] max-[1100px]:[&_.seg>button]:px-[4px]">
      <h2 className="text-[16px] font-[680] whitespace-nowrap [font-stretch:100%] max-[1100px]:text-[14px] max-[1100px]:[font-stretch:88%]">
        {info.title}
      </h2>
      {info.channels.length > 1 && (
        <Segments
          label="Treats"
          value={stage.channels}
          options={info.channels.map((value) => ({ value, label: CHANNEL_NAMES[value] }))}
          onChange={(channels) => set({ channels }, CHANNEL_NAMES[channels])}
        />
      )}
      <span className="flex items-center gap-2">
        <span className="text-mute max-[1100px]:hidden">Hear</span>
        <Segments
          label="Hear"
          value={tap}
          options={taps}
          onChange={(next) => {
            compare("now");
            listen(next);
          }}
        />
        <button
          type="button"
          aria-pressed={heard === without}
          title="The song without this stage, at equal loudness (key 0)"
          className={`plain whitespace-nowrap max-[1100px]:px-[5px]! ${heard === without ? "bg-ink! text-page" : ""}`}
          onClick={() => compare(heard === without ? "now" : without)}
        >
          without<span className="max-[1100px]:hidden"> it</span>
        </button>
      </span>
    </div>
  );
}

function Picture({ stage }: { stage: Stage }) {
  const shows = useCompressorPicture((s) => s.shows);
  const picture = useBench((s) => s.described[stage.id]?.picture);
  if (stage.kind === "filter") return <FilterPicture stage={stage} />;
  if (stage.kind === "split") return <SplitPicture stage={stage} />;
  if (stage.kind === "trim" || stage.kind === "equalizer") return <TrimPicture stage={stage} />;
  const curve = { inDb: picture?.in_db ?? [], outDb: picture?.out_db ?? [] };
  if (stage.kind === "limiter") {
    const { ceiling_db: ceiling, gain_db: gain } = stage.params;
    return (
      <div className="grid min-h-0 grid-cols-[218px_1fr] gap-[10px]">
        <CurvePicture
          stage={stage.id}
          {...curve}
          threshold={ceiling - gain}
          makeupDb={gain}
          axis={{ low: -24, high: 0 }}
          ticks={[-24, -18, -12, -6, 0]}
        />
        <TimePicture
          stage={stage}
          deepestDb={-36}
          level={{ db: ceiling - gain, label: "begins" }}
          effortDb={4}
        />
      </div>
    );
  }
  const { threshold_db: threshold, makeup_db: makeup, key } = stage.params;
  const move = (db: number) => {
    const { recipe } = useBench.getState();
    const param = paramInfo("compressor", "threshold_db");
    if (recipe && param)
      edit(setParam(recipe, stage.id, "threshold_db", db), paramLabel("Bus compressor", param, db));
  };
  return (
    <div className="grid min-h-0 grid-cols-[218px_1fr] gap-[10px]">
      {shows === "detector" ? (
        <DetectorPicture stage={stage.id} filters={stage.params.detector_filters} />
      ) : (
        <CurvePicture
          stage={stage.id}
          {...curve}
          threshold={threshold}
          makeupDb={makeup}
          axis={{ low: -48, high: 0 }}
          ticks={[-48, -36, -24, -12, 0]}
        />
      )}
      <TimePicture
        stage={stage}
        heardIs={key ? `what it listens to (${key.join(", ")})` : "what it listens to"}
        deepestDb={-60}
        level={{ db: threshold, label: formatDb(threshold), onMove: move, onRest: rest }}
        effortDb={4}
      />
    </div>
  );
}

function TrimPicture({ stage }: { stage: Stage }) {
  const summary = useBench((s) => s.described[stage.id]?.summary);
  return (
    <div className="grid place-items-center border border-line bg-well text-[16px] font-[620] text-rim">
      {summary}
    </div>
  );
}
