import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { api } from "../api/client";
import type { BlindTest } from "../api/types";
import { endBlind, hearBlind, setMatched, setPlaying } from "../state/listening";
import { complain, useBench } from "../state/store";
import type { Heard } from "../state/store";
import { keyedOthers, stageTitles, useCompareNames } from "../listening/useCompareNames";
import { nameOf } from "../listening/listeningText";
import { Choice } from "../ui/Choice";
import { Segments } from "../ui/Segments";

const KINDS = [
  { value: "which is X", label: "which is X" },
  { value: "which is better", label: "which is better" },
] as const;
const ROUNDS = ["5", "10", "15", "20"].map((value) => ({ value, label: value }));

interface Pair {
  heard: [Heard, Heard];
  names: [string, string];
}

interface Running extends Pair {
  kind: BlindTest["kind"];
  order: number[];
}

/** Two states, matched, in an order by chance: what is the difference worth? */
export function Blind() {
  const song = useBench((s) => s.song)!;
  const client = useQueryClient();
  const [running, setRunning] = useState<Running | null>(null);
  const [result, setResult] = useState<BlindTest | null>(null);
  const { data: kept } = useQuery({
    queryKey: ["blind", song.id],
    queryFn: () => api.blindTests(song.id),
  });
  useEffect(() => endBlind, []);

  const begin = (pair: Pair, kind: BlindTest["kind"], rounds: number) => {
    setResult(null);
    setMatched(true);
    setPlaying(true);
    // once heard, both are at hand and switching tells nothing
    pair.heard.forEach((heard) => hearBlind(heard, "what is to be told apart"));
    api
      .blindOrder(song.id, rounds)
      .then(({ order }) => setRunning({ ...pair, kind, order }))
      .catch(complain);
  };
  const end = (hits: number | null) => {
    setRunning(null);
    endBlind();
    if (hits === null || !running) return;
    const [first, second] = running.names;
    api
      .judge(song.id, { kind: running.kind, first, second, rounds: running.order.length, hits })
      .then((judged) => {
        setResult(judged);
        return client.invalidateQueries({ queryKey: ["blind", song.id] });
      })
      .catch(complain);
  };
  return (
    <>
      {running ? <Rounds test={running} onEnd={end} /> : <Setting onBegin={begin} />}
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

/** What is asked, of which two. */
function Setting({ onBegin }: { onBegin: (pair: Pair, kind: BlindTest["kind"], rounds: number) => void }) {
  const named = useCompareNames();
  const titles = stageTitles();
  const all = keyedOthers(named);
  const [first, setFirst] = useState<Heard>("now");
  const [second, setSecond] = useState<Heard>("received");
  const [kind, setKind] = useState<BlindTest["kind"]>("which is X");
  const [rounds, setRounds] = useState("10");
  const options = (but: Heard) =>
    all.filter((value) => value !== but).map((value) => ({ value, label: nameOf(value, named, titles) }));
  const name = (value: Heard) => nameOf(value, named, titles);
  return (
    <>
      <p className="mb-3 text-mute">
        You hear two states at equal loudness, in an order drawn by chance. Meanwhile the bench does not show
        which of them is playing.
      </p>
      <div className="flex items-center gap-4">
        <Choice label="First" value={first} options={options(second)} onChange={setFirst} />
        <span>against</span>
        <Choice label="Against" value={second} options={options(first)} onChange={setSecond} />
        <Segments label="Question" value={kind} options={KINDS} onChange={setKind} />
        <Segments label="Rounds" value={rounds} options={ROUNDS} onChange={setRounds} />
        <span className="cap">rounds</span>
        <button
          type="button"
          className="strong"
          onClick={() =>
            onBegin({ heard: [first, second], names: [name(first), name(second)] }, kind, Number(rounds))
          }
        >
          Begin
        </button>
      </div>
    </>
  );
}

function Rounds({ test, onEnd }: { test: Running; onEnd: (hits: number | null) => void }) {
  const { kind, order, heard, names } = test;
  const [{ round, hits }, setDone] = useState({ round: 0, hits: 0 });
  // the state that is X, or that is heard as one
  const x = order[round] as 0 | 1;
  const called = kind === "which is X" ? names : (["one", "two"] as const);
  const answer = (chosen: 0 | 1) => {
    // which is X: told rightly; which is better: the first of the pair preferred
    const hit = kind === "which is X" ? chosen === x : (chosen === 0) === (x === 0);
    const next = { round: round + 1, hits: hits + (hit ? 1 : 0) };
    if (next.round === order.length) onEnd(next.hits);
    else setDone(next);
  };
  const places: (0 | 1)[] = [0, 1];
  return (
    <div aria-label="Blind test under way" role="group">
      <p className="text-[14px]">
        Round {round + 1} of {order.length}, at equal loudness.
      </p>
      <div className="mt-3 flex gap-2">
        {places.map((place) => {
          const which = kind === "which is X" || x === 0 ? place : ((1 - place) as 0 | 1);
          return (
            <button
              key={place}
              type="button"
              className="plain"
              onClick={() => hearBlind(heard[which], called[place])}
            >
              Hear {called[place]}
            </button>
          );
        })}
        {kind === "which is X" && (
          <button type="button" className="plain" onClick={() => hearBlind(heard[x], "X")}>
            Hear X
          </button>
        )}
      </div>
      <div className="mt-3 flex gap-2">
        {places.map((place) => (
          <button key={place} type="button" className="strong" onClick={() => answer(place)}>
            {kind === "which is X" ? `X is ${names[place]}` : `${place === 0 ? "One" : "Two"} is better`}
          </button>
        ))}
        <button type="button" className="plain ml-6" onClick={() => onEnd(null)}>
          Give up
        </button>
      </div>
    </div>
  );
}
