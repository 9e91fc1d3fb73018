import { memo, useCallback } from "react";
import { api } from "../api/client";
import { setParams } from "../state/editing";
import { compare } from "../state/listening";
import { edit } from "../state/edits";
import { settle } from "../state/saving";
import { complain, useBench } from "../state/store";
import { useSurvey } from "../state/useSurvey";
import { formatDb } from "../ui/format";
import { Segments } from "../ui/Segments";
import { compressorOf, useCompressorPicture } from "./compressor";
import { holdGainReduction, useKeepWork } from "./holdGainReduction";
import { SideChainMenu } from "./SideChainMenu";
import { Presets } from "./Presets";
import { SideChainOrSplit } from "./SideChainOrSplit";
import { useExaggeration } from "./useExaggeration";
import { usePassage, useSeries } from "./usePassage";

const PICTURES = [
  { value: "curve", label: "curve" },
  { value: "detector", label: "detector filters" },
] as const;

/** Starting points, work held constant, exaggeration, makeup by loudness: what is done with a compressor as a whole. */
export const CompressorTools = memo(function CompressorTools({ id }: { id: string }) {
  const song = useBench((s) => s.song)!;
  const keeps = useKeepWork((s) => s.on);
  const shows = useCompressorPicture((s) => s.shows);
  const survey = useSurvey();
  useExaggeration(id);
  const change = useCallback(
    (values: Parameters<typeof setParams>[2], label: string) => {
      const { recipe } = useBench.getState();
      if (recipe) edit(setParams(recipe, id, values), `Bus compressor: ${label}`, true);
    },
    [id],
  );
  const match = async () => {
    try {
      await settle();
      // how much louder or quieter the song is with the stage than without it
      const { gain_db: gain } = await api.makeup(song.id, id);
      const before = compressorOf(useBench.getState().recipe, id)?.params.makeup_db ?? 0;
      const makeup = Math.max(-24, Math.min(24, Math.round((before + gain) * 10) / 10));
      change({ makeup_db: makeup }, `makeup ${formatDb(makeup, true)}, matched`);
      compare("now");
    } catch (refused) {
      complain(refused);
    }
  };
  return (
    <div className="tools">
      <Segments
        label="Picture"
        value={shows}
        options={PICTURES}
        onChange={(next) => useCompressorPicture.setState({ shows: next })}
      />
      <Work id={id} />
      <Presets id={id} kind="compressor" />
      <SideChainMenu id={id} change={change} />
      <button
        type="button"
        className="plain whitespace-nowrap"
        title="Sets the makeup so that the song is as loud with the stage as without it"
        disabled={survey?.state !== "done"}
        onClick={() => void match()}
      >
        Match loudness
      </button>
      <button
        type="button"
        aria-pressed={keeps}
        title="While attack, ratio or knee move, the threshold follows so that it takes off as much on average"
        className={`plain whitespace-nowrap ${keeps ? "border-rim! bg-rim! text-on-rim" : ""}`}
        onClick={() => holdGainReduction(!keeps)}
      >
        Hold gain reduction
      </button>
      <SideChainOrSplit id={id} />
    </div>
  );
});

/** How often how much: what the stage does over the song, or over the loop, in words. */
function Work({ id }: { id: string }) {
  const survey = useSurvey();
  const loop = useBench((s) => s.loop);
  const series = useSeries(id, usePassage());
  const words = loop ? series?.words : survey?.work?.[id];
  if (!words) return null;
  return (
    <span className={`cap min-w-0 truncate ${survey?.state === "done" ? "" : "stale"}`} title={words}>
      {words}
    </span>
  );
}
