import { useQuery } from "@tanstack/react-query";
import { Popover } from "radix-ui";
import { useEffect } from "react";
import { api } from "../api/client";
import type { Param } from "../api/types";
import {
  compare,
  DIM_DB,
  heardSong,
  keepAtHand,
  listenAs,
  loopFromHere,
  plainResult,
  setLoop,
  setMatched,
  setMonitor,
  setPlaying,
  setQueue,
  toggleDim,
  WITHOUT_CHAIN,
} from "../bench/listening";
import { stageOf } from "../bench/editing";
import { setKeyed } from "../bench/keys";
import { matchWords } from "../bench/matching";
import { useMatchedPassage } from "../bench/useSurvey";
import { kindInfo, PLAIN, useBench } from "../bench/store";
import { Choice } from "../ui/Choice";
import { formatTime } from "../ui/format";
import { Hint } from "../ui/Hint";
import { Rule } from "../ui/Rule";
import { Segments } from "../ui/Segments";
import { useHeard } from "../ui/useHeard";
import { ComparePanel } from "./ComparePanel";
import { Device } from "./Device";
import { PlaceCurve } from "./PlaceCurve";
import { RangeSweep } from "./RangeSweep";
import { keyedOthers, stageTitles, useHeardName, useNamed } from "./useNamed";
import { FOLDS, heardInWords, nameOf } from "./words";

const MONITOR: Param = {
  name: "monitor",
  type: "number",
  label: "Monitor",
  says: "How loud the bench is heard. It never changes the print.",
  unit: "dB",
  default: -6,
  low: -60,
  high: 0,
  scale: "linear",
  ticks: [-60, -40, -20, 0],
  choices: [],
};
const QUEUES = ["120", "200", "400"].map((value) => ({ value, label: `${value} ms` }));
const RANGES = [
  { value: "all", label: "all" },
  { value: "lows", label: "lows" },
  { value: "band", label: "band" },
] as const;

/** How the bench is heard; nothing here is ever part of the print. */
export function ListeningBar() {
  return (
    <section
      aria-label="Listening"
      className="grid grid-rows-[52px_20px] overflow-hidden border-t border-line bg-bar px-[14px]"
    >
      <div className="flex items-center gap-3 max-[1100px]:gap-2">
        <Transport />
        <Comparing />
        <div className="ml-auto flex shrink-0 items-end gap-3 max-[1100px]:gap-2">
          <Ways />
          <Monitor />
        </div>
      </div>
      <HeardLine />
    </section>
  );
}

function Transport() {
  const playing = useBench((s) => s.playing);
  const song = useBench((s) => s.song)!;
  const loop = useBench((s) => s.loop);
  useHeard();
  return (
    <>
      <button
        type="button"
        aria-label={playing ? "Pause" : "Play"}
        onClick={() => setPlaying(!playing)}
        className="grid h-[40px] w-[40px] shrink-0 place-items-center rounded-full bg-rim"
      >
        <svg width="16" height="18" aria-hidden className="fill-on-rim">
          {playing ? <path d="M1 1h5v16H1zM10 1h5v16h-5z" /> : <path d="M2 1l13 8-13 8z" />}
        </svg>
      </button>
      <div className="w-[92px] shrink-0 max-[1100px]:w-[76px]">
        <output aria-label="Position" className="block text-[16px] font-bold [font-stretch:92%]">
          {formatTime(heardSong() / song.rate_hz, 2)}
        </output>
        {loop ? (
          <button
            type="button"
            className="cap truncate hover:text-copper"
            title="Leave the loop"
            onClick={() => setLoop(null)}
          >
            loop {formatTime(loop[0] / song.rate_hz)} – {formatTime(loop[1] / song.rate_hz)} ×
          </button>
        ) : (
          <span className="cap">of {formatTime(song.frames / song.rate_hz, 1)}</span>
        )}
      </div>
    </>
  );
}

function Comparing() {
  const heard = useBench((s) => s.heard);
  const other = useBench((s) => s.other);
  const matched = useBench((s) => s.matched);
  const match = useBench((s) => s.match);
  const blind = useBench((s) => s.blind !== null);
  const named = useNamed();
  const titles = stageTitles();
  const otherName = useHeardName(other).toLowerCase();
  const keyed = keyedOthers(named);
  useMatchedPassage(keyed);
  useEffect(() => {
    setKeyed(keyed);
    keepAtHand(keyed);
  });
  const shows = (value: string) => !blind && heard === value;
  const states = !blind && other.startsWith("without") && !keyed.includes(other) ? [...keyed, other] : keyed;
  const words = matchWords(match, heard === "now", otherName, matched);
  const said = matched ? (match.estimate ? "matched, estimate" : "level matched") : "not matched";
  return (
    <>
      <div className="flex min-w-0 shrink gap-1 overflow-hidden" role="group" aria-label="Compare">
        {states.map((value, index) => (
          <button
            key={value}
            type="button"
            disabled={blind}
            aria-pressed={shows(value)}
            title={nameOf(value, named, titles)}
            onClick={() => compare(value)}
            className={`max-w-[104px] min-w-[58px] border border-line px-[8px] pt-[3px] pb-[4px] text-left ${shows(value) ? "bg-ink text-page" : "bg-well"} ${!blind && value === other && heard !== value ? "border-b-2 border-b-rim" : ""}`}
          >
            <b className="block truncate font-bold">{nameOf(value, named, titles)}</b>
            <span
              className={`block text-[10px] [font-stretch:84%] ${shows(value) ? "opacity-75" : "text-mute"}`}
            >
              {keyed.includes(value) ? `key ${index + 1}` : value === WITHOUT_CHAIN ? "key N" : "key 0"}
            </span>
          </button>
        ))}
      </div>
      <ComparePanel />
      <Hint text="Compares at equal loudness: the louder one goes down by this much. Off, you hear the levels as they are.">
        <button
          type="button"
          aria-pressed={matched}
          aria-label="Match loudness"
          onClick={() => setMatched(!matched)}
          className={`w-[104px] shrink-0 truncate text-left max-[1100px]:w-[84px] leading-[1.3] font-[620] ${matched ? "text-green" : "text-copper"}`}
        >
          {said}
          <span className="cap block truncate">{blind ? "for the blind test" : words}</span>
        </button>
      </Hint>
    </>
  );
}

/** Fold, range and place: everything combines. */
function Ways() {
  const listening = useBench((s) => s.listening);
  const { data: places } = useQuery({ queryKey: ["places"], queryFn: api.places, staleTime: Infinity });
  return (
    <>
      <div>
        <div className="cap mb-[2px]">Fold</div>
        <Choice
          label="Fold"
          value={listening.fold}
          options={FOLDS}
          onChange={(fold) => listenAs({ fold: fold as (typeof FOLDS)[number]["value"] })}
        />
      </div>
      <div>
        <div className="cap mb-[2px]">Only this range</div>
        <Segments
          label="Only this range"
          value={listening.range}
          options={RANGES}
          onChange={(range) => {
            const wide = listening.low_hz > 25 ? {} : { low_hz: 2000, high_hz: 5000 };
            listenAs(
              range === "lows" ? { range, high_hz: 120 } : range === "band" ? { range, ...wide } : { range },
            );
          }}
        />
      </div>
      <div>
        <div className="cap mb-[2px]">Place</div>
        <Choice
          label="Place"
          value={listening.place}
          options={(places?.places ?? []).map(({ name, title, says, curve_db }) => ({
            value: name,
            label: title,
            says,
            picture: <PlaceCurve curve_db={curve_db} />,
          }))}
          onChange={(place) => listenAs({ place: place as typeof listening.place })}
        />
      </div>
    </>
  );
}

/** What is being heard, in words, and how the sound is doing. */
function HeardLine() {
  const heard = useBench((s) => s.heard);
  const tap = useBench((s) => s.tap);
  const listening = useBench((s) => s.listening);
  const connected = useBench((s) => s.connected);
  const underruns = useBench((s) => s.underruns);
  const song = useBench((s) => s.song)!;
  const queueMs = useBench((s) => s.queueMs);
  const kind = useBench((s) => stageOf(s.recipe!, s.selected)?.kind ?? "");
  const name = useHeardName(heard);
  const blind = useBench((s) => s.blind);
  const now = useHeard();
  const { data: places } = useQuery({ queryKey: ["places"], queryFn: api.places, staleTime: Infinity });
  const stage = kindInfo(kind)?.title.toLowerCase() ?? "stage";
  const place = places?.places.find((one) => one.name === listening.place);
  const words = heardInWords(
    blind ?? name,
    heard === "now" ? tap : "result",
    `the ${stage}`,
    listening,
    place,
  );
  const plain =
    heard === "now" &&
    tap === "result" &&
    listening.fold === "stereo" &&
    listening.range === "all" &&
    listening.place === PLAIN.place &&
    !listening.solo.length &&
    !listening.muted.length;
  const load = Math.round((now?.meters.load ?? 0) * 100);
  return (
    <div className="flex min-w-0 items-center gap-4 pb-[4px]">
      <div className="min-w-0 truncate" role="status" aria-label="Hearing">
        <span className="text-mute">hearing</span> <b className="font-[620]">{words}</b>
      </div>
      <RangeSweep />
      {!plain && blind === null && (
        <button type="button" className="shrink-0 font-[620] text-rim hover:underline" onClick={plainResult}>
          plain result (Esc)
        </button>
      )}
      <span className="ml-auto" />
      <Heavy />
      {now?.gauge.clips && blind === null && (
        <span role="status" className="shrink-0 bg-copper px-2 font-[620] text-white">
          monitor clips
        </span>
      )}
      <Popover.Root>
        <Popover.Trigger
          className={`cap shrink-0 truncate hover:text-ink ${underruns > 0 || !connected || load > 80 ? "text-copper" : ""}`}
        >
          {connected ? `live · ${song.rate_hz / 1000} kHz` : "connection lost, coming back by itself"}
          {` · load ${load} %`}
          {` · ${underruns === 0 ? "no" : underruns} ${underruns === 1 ? "gap" : "gaps"}`}
        </Popover.Trigger>
        <Popover.Portal>
          <Popover.Content className="menu w-[290px] p-3!" side="top" sideOffset={8}>
            <b className="font-[640]">Live sound</b>
            <p className="my-1 text-mute">
              Audio queued ahead of the ear. A longer queue has fewer gaps on a busy machine; moves are heard
              as fast.
            </p>
            <Segments
              label="Queue"
              value={String(queueMs)}
              options={QUEUES}
              onChange={(value) => setQueue(Number(value))}
            />
            <Device />
            <p className="cap mt-2">
              The device runs at {song.rate_hz} Hz. Gaps so far: {underruns}. The chain takes {load} % of the
              time there is
              {load > 80 ? ": too heavy to be sure of; switch a stage off, or lengthen the queue." : "."}
            </p>
          </Popover.Content>
        </Popover.Portal>
      </Popover.Root>
    </div>
  );
}

/** A chain that takes longer than it sounds, and how it is heard all the same. */
function Heavy() {
  const { heavy, progress } = useBench((s) => s.work);
  if (!heavy) return null;
  if (progress === null)
    return (
      <span role="status" className="flex min-w-0 shrink gap-2 text-copper">
        <span className="truncate">too heavy to play as it changes</span>
        <button type="button" className="shrink-0 font-[620] hover:underline" onClick={loopFromHere}>
          render 8 s from here and loop them
        </button>
      </span>
    );
  return (
    <span role="status" className="min-w-0 shrink truncate text-copper">
      {progress < 1
        ? `too heavy to play as it changes: rendering the loop, ${Math.round(progress * 100)} %`
        : "heavy chain: the loop is played as rendered ahead"}
    </span>
  );
}

function Monitor() {
  const monitorDb = useBench((s) => s.monitorDb);
  const dim = useBench((s) => s.dim);
  return (
    <>
      <Hint text={`Turns the monitor down by ${-DIM_DB} dB while you talk.`}>
        <button
          type="button"
          aria-pressed={dim}
          onClick={toggleDim}
          className={`border px-[8px] py-[3px] ${dim ? "border-mustard bg-mustard text-white" : "border-line bg-well"}`}
        >
          Dim
        </button>
      </Hint>
      <div className="w-[112px] self-center pt-[4px] max-[1100px]:w-[84px]">
        <Rule param={MONITOR} value={monitorDb} onMove={setMonitor} onRest={() => undefined} />
      </div>
    </>
  );
}
