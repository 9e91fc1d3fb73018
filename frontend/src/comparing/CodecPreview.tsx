import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api } from "../api/client";
import type { Coder } from "../api/trialTypes";
import { compare } from "../state/listening";
import { settle } from "../state/saving";
import { complain, useBench } from "../state/store";
import { formatDb } from "../ui/format";
import { Segments } from "../ui/Segments";

const CODERS = [
  { value: "opus", label: "Opus" },
  { value: "ogg", label: "Vorbis" },
  { value: "mp3", label: "MP3" },
] as const;
const RATES = ["64", "96", "128", "160", "256", "320"].map((value) => ({ value, label: value }));
const ASK_MS = 500;
const FULL_SCALE = 0;

/** The song as listeners will get it: coded, decoded, compared at equal loudness; what coding adds; its true peak. */
export function CodecPreview() {
  const song = useBench((s) => s.song)!;
  const revision = useBench((s) => s.revision?.id ?? 0);
  const [coder, setCoder] = useState<Coder>("opus");
  const [rate, setRate] = useState("96");
  const [asked, setAsked] = useState<{ coder: Coder; kbit: number; revision: number } | null>(null);
  const current =
    asked?.coder === coder && asked.kbit === Number(rate) && asked.revision === revision ? asked : null;
  const { data, error } = useQuery({
    queryKey: ["coded", song.id, current],
    queryFn: () => api.coded(song.id, current!.coder, current!.kbit),
    enabled: current !== null,
    refetchInterval: ({ state }) =>
      state.error || ["done", "failed"].includes(state.data?.state ?? "") ? false : ASK_MS,
    retry: false,
  });
  const make = async () => {
    try {
      await settle();
      setAsked({ coder, kbit: Number(rate), revision: useBench.getState().revision?.id ?? 0 });
    } catch (refused) {
      complain(refused);
    }
  };
  const found = current ? data?.found : null;
  const problem = current ? (error?.message ?? data?.problem) : null;
  const over = (found?.coded.true_peak_dbtp ?? -100) > FULL_SCALE;
  return (
    <div className="flex flex-col gap-3">
      <div className="flex items-center gap-3">
        <Segments label="Coder" value={coder} options={CODERS} onChange={setCoder} />
        <Segments label="Rate in kbit/s" value={rate} options={RATES} onChange={setRate} />
        <span className="text-mute">kbit/s</span>
        <button type="button" className="strong" onClick={() => void make()}>
          Code and decode it
        </button>
        {current && !found && !problem && (
          <span role="status" className="text-mute">
            {Math.round(100 * (data?.progress ?? 0))} %
          </span>
        )}
      </div>
      {problem && (
        <p role="alert" className="text-copper">
          {problem}
        </p>
      )}
      {found && data ? (
        <>
          <table aria-label="As it will be coded" className="w-[460px] text-left">
            <thead className="cap">
              <tr>
                <th className="font-[500]">whole song</th>
                <th className="font-[500]">mastered</th>
                <th className="font-[500]">coded</th>
              </tr>
            </thead>
            <tbody>
              <tr className="border-t border-faint">
                <td>true peak</td>
                <td>{formatDb(found.mastered.true_peak_dbtp, false, " dBTP")}</td>
                <td className={`font-[650] ${over ? "text-copper" : "text-green"}`}>
                  {formatDb(found.coded.true_peak_dbtp, false, " dBTP")}
                </td>
              </tr>
              <tr className="border-t border-faint">
                <td>loudness</td>
                <td>{formatDb(found.mastered.integrated_lufs, false, " LUFS")}</td>
                <td>{formatDb(found.coded.integrated_lufs, false, " LUFS")}</td>
              </tr>
            </tbody>
          </table>
          <p>
            {over
              ? "It clips where it is decoded to whole numbers: give the ceiling more room."
              : "Nothing clips where it is decoded."}
          </p>
          <div className="flex gap-2">
            <button type="button" className="plain" onClick={() => compare(data.coded)}>
              hear it coded
            </button>
            <button type="button" className="plain" onClick={() => compare(data.added)}>
              hear only what coding adds
            </button>
            <button type="button" className="plain" onClick={() => compare("now")}>
              hear now
            </button>
          </div>
        </>
      ) : (
        <p className="text-mute">
          The song as it is now, through a coder and back, in time to the sample: highs, hits and ceilings as
          listeners will get them.
        </p>
      )}
    </div>
  );
}
