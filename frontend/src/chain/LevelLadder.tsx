import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api } from "../api/client";
import { chainOf } from "../state/editing";
import { useShape } from "../state/recipeShape";
import { kindInfo, useBench } from "../state/store";
import { formatDb } from "../ui/format";
import { Hint } from "../ui/Hint";
import { useDebounced } from "../ui/useDebounced";
import { alongLadder, stepWords } from "./levelSteps";

const ASK_MS = 400;
const REST_MS = 900;
const NAME = "levels-along-the-chain";

/** Whether the levels between stages are shown; as it was left. */
export function useLadderShown(): [boolean, () => void] {
  const [shown, setShown] = useState(localStorage.getItem(NAME) === "shown");
  const toggle = () => {
    localStorage.setItem(NAME, shown ? "hidden" : "shown");
    setShown(!shown);
  };
  return [shown, toggle];
}

export function LadderSwitch({ shown, toggle }: { shown: boolean; toggle: () => void }) {
  return (
    <Hint text="Shows how loud it is, and how high its peaks are, after each stage of this chain.">
      <button
        type="button"
        aria-pressed={shown}
        onClick={toggle}
        className={`px-3 py-[7px] ${shown ? "bg-rim2 font-[620]" : "text-mute hover:text-ink"}`}
      >
        Levels
      </button>
    </Hint>
  );
}

/** Loudness and true peak of the loop, or of 20 s in the middle of the song, after every stage of the chain. */
export function LevelLadder() {
  const recipe = useShape();
  const lane = useBench((s) => s.lane);
  const song = useBench((s) => s.song)!;
  const loop = useBench((s) => s.loop);
  const revision = useDebounced(
    useBench((s) => s.revision?.id ?? 0),
    REST_MS,
  );
  const chain = chainOf(recipe, lane);
  const [from, to] = loop ?? [0, song.frames];
  const { data, error } = useQuery({
    queryKey: ["ladder", song.id, lane, revision, from, to],
    queryFn: () => api.ladder(song.id, lane, from, to),
    enabled: chain.length > 0,
    refetchInterval: ({ state }) =>
      state.error || state.data?.state === "done" || state.data?.state === "failed" ? false : ASK_MS,
    staleTime: Infinity,
    retry: false,
    placeholderData: (before, query) => (query?.queryKey[2] === lane ? before : undefined),
  });
  if (chain.length === 0) return null;
  const problem = error?.message ?? data?.problem;
  const steps = data?.found?.steps ?? [];
  return (
    <section aria-label="Levels along the chain" className="border-t border-faint px-3 py-2">
      <p className="cap flex justify-between pb-1">
        <span>{loop ? "after each stage, the loop" : "after each stage, 20 s mid-song"}</span>
        <span>LUFS · dBTP</span>
      </p>
      {problem && <p role="alert">{problem}</p>}
      {!problem && steps.length === 0 && (
        <p role="status" className="text-mute">
          measuring … {Math.round((data?.progress ?? 0) * 100)} %
        </p>
      )}
      <ol className={data?.state === "done" ? "" : "stale"}>
        {steps.map((step, index) => {
          const stage = chain.find(({ id }) => id === step.stage);
          const name = stage ? (kindInfo(stage.kind)?.title ?? stage.kind) : "comes in";
          if (step.stage !== null && !stage) return null;
          return (
            <li
              key={step.stage ?? ""}
              className="flex items-center gap-2 text-[11.5px]"
              title={stepWords(steps, index)}
            >
              <span className="w-[84px] shrink-0 truncate">{name}</span>
              <span aria-hidden className="relative h-[9px] min-w-0 flex-1 bg-faint">
                <span
                  className="absolute inset-y-0 left-0 bg-rim opacity-70"
                  style={{ width: `${100 * alongLadder(step.lufs)}%` }}
                />
                <span
                  className={`absolute inset-y-[-1px] w-[2px] ${step.true_peak_dbtp > 0 ? "bg-copper" : "bg-ink"}`}
                  style={{ left: `calc(${100 * alongLadder(step.true_peak_dbtp)}% - 1px)` }}
                />
              </span>
              <span className="w-[34px] shrink-0 text-right">{formatDb(step.lufs, false, "")}</span>
              <span
                className={`w-[30px] shrink-0 text-right ${step.true_peak_dbtp > 0 ? "font-[650] text-copper" : "text-mute"}`}
              >
                {formatDb(step.true_peak_dbtp, false, "")}
              </span>
            </li>
          );
        })}
      </ol>
    </section>
  );
}
