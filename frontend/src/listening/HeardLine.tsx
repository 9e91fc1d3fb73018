import { useQuery } from "@tanstack/react-query";
import { Popover } from "radix-ui";
import { api } from "../api/client";
import { loopFromHere, plainResult, setMatchMoving, setQueue } from "../state/listening";
import { session } from "../state/session";
import { kindInfo, PLAIN, useBench } from "../state/store";
import { Segments } from "../ui/Segments";
import { useHeard } from "../state/useHeard";
import { Device } from "./Device";
import { RangeSweep } from "./RangeSweep";
import { useHeardName } from "./useNamed";
import { diagnose } from "./slowness";
import { heardInWords } from "./words";
import { useShape } from "../state/shape";
import { nameOfHome, splitOf, stageOf } from "../tree/tree";

const QUEUES = ["120", "200", "400"].map((value) => ({ value, label: `${value} ms` }));

/** What is being heard, in words, and how the sound is doing. */
export function HeardLine() {
  const heard = useBench((s) => s.heard);
  const tap = useBench((s) => s.tap);
  const listening = useBench((s) => s.listening);
  const connected = useBench((s) => s.connected);
  const underruns = useBench((s) => s.underruns);
  const song = useBench((s) => s.song)!;
  const queueMs = useBench((s) => s.queueMs);
  const matchMoving = useBench((s) => s.matchMoving);
  const kind = useBench((s) => stageOf(s.recipe!, s.selected)?.kind ?? "");
  const name = useHeardName(heard);
  const blind = useBench((s) => s.blind);
  const load = useHeard((now) => Math.round((now?.meters.load ?? 0) * 100));
  const work = useHeard((now) => Math.round((now?.meters.work ?? 0) * 100));
  const aheadS = useHeard(() => {
    const seconds = session().player?.aheadS ?? 0;
    return seconds < 1 ? Math.round(10 * seconds) / 10 : Math.round(seconds);
  });
  const lateCalls = useHeard(() => session().player?.lateCalls ?? 0);
  const roundTripMs = useHeard(() => Math.round(session().player?.roundTripMs ?? 0));
  const fromMemory = useBench((s) => s.work.progress !== null);
  const slow = diagnose({ load, work, roundTripMs, lateCalls, underruns, fromMemory });
  const clips = useHeard((now) => now?.gauge?.clips ?? false);
  const { data: places } = useQuery({ queryKey: ["places"], queryFn: api.places, staleTime: Infinity });
  const stage = kindInfo(kind)?.title.toLowerCase() ?? "stage";
  const place = places?.places.find((one) => one.name === listening.place);
  const recipe = useShape();
  const called = (id: string) => {
    const name = nameOfHome(recipe, id);
    return splitOf(recipe, id) ? `the branch ${name}` : name;
  };
  const words = heardInWords(
    blind ?? name,
    heard === "now" ? tap : "result",
    `the ${stage}`,
    { ...listening, solo: listening.solo.map(called), muted: listening.muted.map(called) },
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
      {clips && blind === null && (
        <span role="status" className="shrink-0 bg-copper px-2 font-[620] text-on-rim">
          monitor clips
        </span>
      )}
      <Popover.Root>
        <Popover.Trigger
          className={`cap shrink-0 truncate hover:text-ink ${underruns > 0 || !connected || slow.cause ? "font-bold text-ink" : ""}`}
        >
          {connected ? `${song.rate_hz / 1000} kHz` : "connection lost, coming back by itself"}
          {connected && ` · ${aheadS} s ahead`}
          {` · CPU ${work} %`}
          {` · ${underruns === 0 ? "no" : underruns} ${underruns === 1 ? "dropout" : "dropouts"}`}
        </Popover.Trigger>
        <Popover.Portal>
          <Popover.Content className="menu w-[290px] p-3!" side="top" sideOffset={8}>
            <b className="font-[640]">Live sound</b>
            <p className="my-1 text-mute">
              {slow.says} {slow.remedy}
            </p>
            {slow.cause === "chain" && (
              <button type="button" className="plain mb-1" onClick={loopFromHere}>
                Render the loop ahead
              </button>
            )}
            <p className="my-1 text-mute">
              Queue: how much of the newest sound is kept before the ear. At rest five seconds are rendered
              ahead; after an edit this much comes first.
            </p>
            <Segments
              label="Queue"
              value={String(queueMs)}
              options={QUEUES}
              onChange={(value) => setQueue(Number(value))}
            />
            <Device />
            <label className="mt-2 flex items-start gap-2">
              <input
                type="checkbox"
                className="mt-[3px]"
                checked={matchMoving}
                onChange={({ target }) => setMatchMoving(target.checked)}
              />
              <span>
                Match while dragging: what makes louder, such as drive, stays as loud while the hand moves it
              </span>
            </label>
            <p className="cap mt-2">
              The device runs at {song.rate_hz} Hz. Dropouts so far: {underruns}; late calls of the browser:{" "}
              {lateCalls}. Rendering takes {work} % of the processor and {load} % of the clock, at{" "}
              {session().player?.priority ?? "normal"} priority.
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
