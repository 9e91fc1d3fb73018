import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api } from "../api/client";
import type { BlindTest } from "../api/types";
import { compare, setMatched, setPlaying } from "../bench/listening";
import { complain, useBench } from "../bench/store";
import { keyedOthers, stageTitles, useNamed } from "../listening/useNamed";
import { nameOf } from "../listening/words";
import { Choice } from "../ui/Choice";
import { Segments } from "../ui/Segments";

const KINDS = [
  { value: "which is X", label: "which is X" },
  { value: "which is better", label: "which is better" },
] as const;
const ROUNDS = ["5", "10", "15", "20"].map((value) => ({ value, label: value }));

interface Running {
  order: number[];
  round: number;
  hits: number;
}

/** Two states, matched, in an order by chance: what is the difference worth? */
export function Blind() {
  const song = useBench((s) => s.song)!;
  const named = useNamed();
  const titles = stageTitles();
  const client = useQueryClient();
  const others = keyedOthers(named).filter((value) => value !== "now");
  const [other, setOther] = useState("received");
  const [kind, setKind] = useState<BlindTest["kind"]>("which is X");
  const [rounds, setRounds] = useState("10");
  const [running, setRunning] = useState<Running | null>(null);
  const [result, setResult] = useState<BlindTest | null>(null);
  const { data: kept } = useQuery({
    queryKey: ["blind", song.id],
    queryFn: () => api.blindTests(song.id),
  });
  const pair = ["now", other];
  const names = pair.map((value) => nameOf(value, named, titles));

  const begin = () => {
    setResult(null);
    setMatched(true);
    setPlaying(true);
    // once heard, both are at hand and switching tells nothing
    compare(other);
    api
      .blindOrder(song.id, Number(rounds))
      .then(({ order }) => setRunning({ order, round: 0, hits: 0 }))
      .catch(complain);
  };
  const answer = (chosen: number) => {
    if (!running) return;
    const first = running.order[running.round]!;
    // which is X: told rightly; which is better: the first of the pair (now) preferred
    const hit = kind === "which is X" ? chosen === first : (chosen === 0 ? first : 1 - first) === 0;
    const next = { ...running, round: running.round + 1, hits: running.hits + (hit ? 1 : 0) };
    if (next.round < next.order.length) {
      setRunning(next);
      return;
    }
    setRunning(null);
    const test = { kind, first: names[0]!, second: names[1]!, rounds: next.order.length, hits: next.hits };
    api
      .judge(song.id, test)
      .then((judged) => {
        setResult(judged);
        return client.invalidateQueries({ queryKey: ["blind", song.id] });
      })
      .catch(complain);
  };
  return (
    <>
      {running ? (
        <div aria-label="Blind test under way" role="group">
          <p className="text-[14px]">
            Round {running.round + 1} of {running.order.length}, at equal loudness.
          </p>
          <div className="mt-3 flex gap-2">
            {kind === "which is X" ? (
              <>
                <button type="button" className="plain" onClick={() => compare(pair[0]!)}>
                  Hear {names[0]}
                </button>
                <button type="button" className="plain" onClick={() => compare(pair[1]!)}>
                  Hear {names[1]}
                </button>
                <button
                  type="button"
                  className="plain"
                  onClick={() => compare(pair[running.order[running.round]!]!)}
                >
                  Hear X
                </button>
              </>
            ) : (
              [0, 1].map((place) => (
                <button
                  key={place}
                  type="button"
                  className="plain"
                  onClick={() =>
                    compare(
                      pair[place === 0 ? running.order[running.round]! : 1 - running.order[running.round]!]!,
                    )
                  }
                >
                  Hear {place === 0 ? "one" : "two"}
                </button>
              ))
            )}
          </div>
          <div className="mt-3 flex gap-2">
            {[0, 1].map((place) => (
              <button key={place} type="button" className="strong" onClick={() => answer(place)}>
                {kind === "which is X" ? `X is ${names[place]!}` : `${place === 0 ? "One" : "Two"} is better`}
              </button>
            ))}
            <button type="button" className="plain ml-6" onClick={() => setRunning(null)}>
              Give up
            </button>
          </div>
        </div>
      ) : (
        <div className="flex items-center gap-4">
          <span>Now against</span>
          <Choice
            label="Against"
            value={other}
            options={others.map((value) => ({ value, label: nameOf(value, named, titles) }))}
            onChange={setOther}
          />
          <Segments label="Question" value={kind} options={KINDS} onChange={setKind} />
          <Segments label="Rounds" value={rounds} options={ROUNDS} onChange={setRounds} />
          <span className="cap">rounds</span>
          <button type="button" className="strong" onClick={begin}>
            Begin
          </button>
        </div>
      )}
      {result && (
        <p role="status" className="mt-4 text-[14px] font-[620] text-green">
          {result.says}
        </p>
      )}
      {(kept ?? []).length > 0 && (
        <ul aria-label="Kept results" className="mt-5 border-t border-line">
          {kept!.map((test, index) => (
            <li key={index} className="border-b border-faint py-[5px]">
              <span className="text-mute">
                {test.first} against {test.second}:{" "}
              </span>
              {test.says}
            </li>
          ))}
        </ul>
      )}
    </>
  );
}
