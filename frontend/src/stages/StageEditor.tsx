import { memo, Suspense } from "react";
import type { Channels, Kind } from "../api/types";
import { setField } from "../state/editing";
import { edit } from "../state/edits";
import { compare, listen } from "../state/listening";
import { kindInfo, useBench } from "../state/store";
import { SongView } from "../songview/SongView";
import { stageOf } from "../tree/tree";
import { AutomationOffer } from "../automation/AutomationOffer";
import { RecordTools } from "../automation/RecordTools";
import { SectionTable } from "../automation/SectionTable";
import { Choice } from "../ui/Choice";
import { Segments } from "../ui/Segments";
import { viewOf } from "./views";

const CHANNEL_NAMES: Record<Channels, string> = {
  stereo: "Stereo",
  mid: "Mid",
  side: "Side",
  left: "Left",
  right: "Right",
};

/** The chosen stage: its name, what it treats, how it is heard, its picture and its rules; the song where none is. */
export function StageEditor() {
  const stage = useBench((s) => stageOf(s.recipe!, s.selected));
  if (!stage) return <SongView />;
  const { Body } = viewOf(stage.kind);
  return (
    <section
      aria-label="Stage"
      className="relative grid min-h-0 min-w-0 grid-cols-[minmax(0,1fr)] grid-rows-[30px_minmax(0,1fr)] gap-y-2 bg-enamel px-[14px] pt-[8px]"
    >
      <Heading id={stage.id} kind={stage.kind} channels={stage.channels} />
      <Suspense fallback={<span />}>
        <Body key={stage.id} stage={stage} />
      </Suspense>
      <SectionTable />
      <AutomationOffer />
    </section>
  );
}

const Heading = memo(function Heading({
  id,
  kind,
  channels,
}: {
  id: string;
  kind: Kind;
  channels: Channels;
}) {
  const tap = useBench((s) => s.tap);
  const heard = useBench((s) => s.heard);
  const info = kindInfo(kind);
  if (!info) return null;
  const set = (fields: Parameters<typeof setField>[2], label: string) => {
    const { recipe } = useBench.getState();
    if (recipe) edit(setField(recipe, id, fields), `${info.title}: ${label}`, true);
  };
  const { taps } = viewOf(kind);
  const without = `without:${id}`;
  return (
    <div className="flex items-center gap-x-[9px] max-[1100px]:gap-x-[4px] max-[1100px]:[&_.seg>button]:px-[3px]">
      <h2 className="text-[16px] font-[680] whitespace-nowrap [font-stretch:100%] max-[1100px]:text-[14px] max-[1100px]:[font-stretch:88%]">
        {info.title}
      </h2>
      {info.channels.length > 1 && (
        <Choice
          label="Channels"
          quiet
          value={channels}
          options={info.channels.map((value) => ({ value, label: CHANNEL_NAMES[value] }))}
          onChange={(next) => set({ channels: next as Channels }, CHANNEL_NAMES[next as Channels])}
        />
      )}
      <span className="ml-auto flex items-center gap-2">
        <span className="cap max-[1100px]:hidden">Listen to</span>
        <Segments
          label="Listen to"
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
          Bypass
        </button>
      </span>
      <RecordTools />
    </div>
  );
});
