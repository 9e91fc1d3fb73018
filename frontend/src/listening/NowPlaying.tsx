import { useQuery } from "@tanstack/react-query";
import { api } from "../api/client";
import { loopFromHere, plainResult } from "../state/listening";
import { kindInfo, PLAIN, useBench } from "../state/store";
import { useLiveReadings } from "../state/useLiveReadings";
import { LiveStatus } from "./LiveStatus";
import { BandSweep } from "./BandSweep";
import { useHeardName } from "./useCompareNames";
import { heardInWords } from "./listeningText";
import { useShape } from "../state/recipeShape";
import { nameOfHome, splitOf, stageOf } from "../tree/tree";

/** What is being heard, in words. */
export function NowPlaying() {
  const heard = useBench((s) => s.heard);
  const tap = useBench((s) => s.tap);
  const listening = useBench((s) => s.listening);
  const kind = useBench((s) => stageOf(s.recipe!, s.selected)?.kind ?? "");
  const name = useHeardName(heard);
  const blind = useBench((s) => s.blind);
  const clips = useLiveReadings((now) => now?.gauge?.clips ?? false);
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
        <span className="text-mute">listening to</span> <b className="font-[620]">{words}</b>
      </div>
      <BandSweep />
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
      <LiveStatus />
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
