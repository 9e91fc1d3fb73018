import { useQuery } from "@tanstack/react-query";
import { useCallback } from "react";
import { api } from "../api/client";
import type { HowLoud } from "../api/trialTypes";
import type { Frame } from "../plots/plot";
import { drawGridX, drawGridY, drawLine, drawTitle, hzLabel, xAt, yAt } from "../plots/plot";
import { useBench } from "../state/store";
import { formatDb } from "../ui/format";
import type { Axis } from "../ui/scale";
import { barkOf } from "./barkScale";
import { ComparedPicture } from "./ComparedPicture";

const TICKS_HZ = [100, 200, 500, 1000, 2000, 5000, 10000];
const BARK: Axis = { low: 0, high: 24 };

/** How loud both are to the ear at one loudness in LUFS, by critical band. */
export function PerceivedLoudness({ other, from, to }: { other: string; from: number; to: number }) {
  const song = useBench((s) => s.song)!;
  const revision = useBench((s) => s.revision?.id ?? 0);
  const { data } = useQuery({
    queryKey: ["perceived", song.id, revision, other, from, to],
    queryFn: () => api.perceived(song.id, other, from, to),
    refetchInterval: ({ state }) => (state.data?.state === "running" ? 400 : false),
  });
  if (data?.problem) return <p role="alert">{data.problem}</p>;
  if (!data?.before || !data.after)
    return (
      <p className="mt-3 flex h-[250px] items-center justify-center text-mute" role="status">
        listening to both … {Math.round((data?.progress ?? 0) * 100)} %
      </p>
    );
  return (
    <>
      <Bands before={data.before} after={data.after} />
      <p className="mt-2">{data.words}</p>
      <p className="cap">
        {["before", "after"].map((name, i) => {
          const { own, lufs } = [data.before!, data.after!][i]!;
          return `${name} as it is: ${own.n5_sone.toFixed(1)} sone at ${formatDb(lufs, false, " LUFS")} · `;
        })}
        ISO 532-1, its loudest 5 % of the time, −20 dBFS at 83 dB
      </p>
    </>
  );
}

function Bands({ before, after }: { before: HowLoud; after: HowLoud }) {
  const draw = useCallback(
    (context: CanvasRenderingContext2D, width: number, height: number) => {
      const frame: Frame = { left: 40, top: 12, width: width - 52, height: height - 34 };
      const rows = [before.equal.specific, after.equal.specific];
      const top = Math.max(0.2, ...rows.flat()) * 1.2;
      const step = [0.05, 0.1, 0.2, 0.5, 1, 2, 5].find((size) => top / size < 6) ?? 10;
      const sone: Axis = { low: 0, high: top };
      drawGridX(context, frame, BARK, TICKS_HZ.map(barkOf), (bark) =>
        hzLabel(TICKS_HZ.find((hz) => barkOf(hz) === bark)!),
      );
      drawGridY(
        context,
        frame,
        sone,
        Array.from({ length: Math.floor(top / step) + 1 }, (_, i) => i * step),
      );
      const xs = before.equal.bark.map((bark) => xAt(frame, BARK, bark));
      const inks = ["tin", "rim"] as const;
      rows.forEach((row, i) => {
        drawLine(
          context,
          frame,
          xs,
          row.map((value) => yAt(frame, sone, value)),
          { ink: inks[i]!, width: 1.8 },
        );
      });
      drawTitle(context, frame, "sone a Bark at equal LUFS: grey before, blue after");
    },
    [before, after],
  );
  return <ComparedPicture draw={draw} label="Perceived loudness by critical band, before and after" />;
}
