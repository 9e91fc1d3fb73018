import { useEffect } from "react";
import { compare, keepAtHand, setMatched, WITHOUT_CHAIN } from "../state/listening";
import { matchWords } from "../state/loudnessMatch";
import { useBench } from "../state/store";
import { useMatchedPassage } from "../state/useSurvey";
import { Hint } from "../ui/Hint";
import { ComparePanel } from "./ComparePanel";
import { keyedOthers, stageTitles, useHeardName, useCompareNames } from "./useCompareNames";
import { nameOf } from "./listeningText";

/** What is compared now and then, and stands on no number. */
const PASSING = /^(without|eased|coded|added):/;

/** The key of what stands on no number. */
function keyOf(other: string): string {
  if (/^(coded|added):/.test(other)) return "codec preview";
  if (other === WITHOUT_CHAIN) return "key N";
  return other.startsWith("eased") ? "key Q" : "key 0";
}

/** What may be heard by one key, and how it is matched. */
export function CompareKeys() {
  const heard = useBench((s) => s.heard);
  const other = useBench((s) => s.other);
  const matched = useBench((s) => s.matched);
  const match = useBench((s) => s.match);
  const blind = useBench((s) => s.blind !== null);
  const named = useCompareNames();
  const titles = stageTitles();
  const otherName = useHeardName(other).toLowerCase();
  const keyed = keyedOthers(named);
  useMatchedPassage(keyed);
  useEffect(() => {
    if (keyed.join() !== useBench.getState().keyed.join()) useBench.setState({ keyed });
    keepAtHand(keyed);
  });
  const shows = (value: string) => !blind && heard === value;
  const states = !blind && PASSING.test(other) && !keyed.includes(other) ? [...keyed, other] : keyed;
  const words = matchWords(match, heard === "now", otherName, matched);
  const said = matched ? (match.estimate ? "matched (estimate)" : "loudness matched") : "not matched";
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
            className={`max-w-[104px] min-w-[42px] shrink border border-line pt-[3px] ${states.length > 4 ? "px-[5px] [font-stretch:74%] max-[1100px]:px-[3px] max-[1100px]:text-[11px] max-[1100px]:[font-stretch:64%]" : "px-[8px]"} pb-[4px] text-left ${shows(value) ? "bg-ink text-page" : "bg-well"} ${!blind && value === other && heard !== value ? "border-b-2 border-b-rim" : ""}`}
          >
            <b className="block truncate font-bold">{nameOf(value, named, titles)}</b>
            <span
              className={`block text-[10px] [font-stretch:84%] ${shows(value) ? "opacity-75" : "text-mute"}`}
            >
              {keyed.includes(value) ? `key ${index + 1}` : keyOf(value)}
            </span>
          </button>
        ))}
      </div>
      <ComparePanel />
      <Hint text="Compares at equal loudness: everything on the keys goes down to the quietest of them. Off, you hear the levels as they are.">
        <button
          type="button"
          aria-pressed={matched}
          aria-label={`Match loudness: ${said} ${blind ? "for the blind test" : words}`}
          onClick={() => setMatched(!matched)}
          className={`w-[104px] shrink-0 truncate text-left max-[1100px]:w-[84px] leading-[1.3] font-[620] ${matched ? "text-green" : "text-copper"}`}
        >
          {said} <span className="cap block truncate">{blind ? "for the blind test" : words}</span>
        </button>
      </Hint>
    </>
  );
}
