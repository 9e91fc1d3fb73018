import { useQueryClient } from "@tanstack/react-query";
import { memo, useState } from "react";
import { api } from "../api/client";
import { compare } from "../state/listening";
import { settle } from "../state/saving";
import { complain, useBench } from "../state/store";
import { Sheet } from "../ui/Sheet";
import { useCanvas } from "../ui/useCanvas";
import type { Frame } from "../plots/plot";
import { drawGridY, drawLine, yAt } from "../plots/plot";
import { usePassage } from "./usePassage";
import type { Axis } from "../ui/scale";

type Ways = Awaited<ReturnType<typeof api.twoWays>>;

/** The same setting that does not hear the lows, and that does not touch them: side by side, by the song's own figures. */
export const SideChainOrSplit = memo(function SideChainOrSplit({ id }: { id: string }) {
  const song = useBench((s) => s.song)!;
  const passage = usePassage();
  const client = useQueryClient();
  const [ways, setWays] = useState<Ways | null>(null);
  const [busy, setBusy] = useState(false);
  const make = async () => {
    setBusy(true);
    try {
      await settle();
      setWays(await api.twoWays(song.id, id, passage));
      await client.invalidateQueries({ queryKey: ["versions", song.id] });
    } catch (refused) {
      complain(refused);
    } finally {
      setBusy(false);
    }
  };
  return (
    <>
      <button
        type="button"
        className="plain whitespace-nowrap"
        disabled={busy}
        title="Two versions of this setting: one filters the detector, one compresses above the split only"
        onClick={() => void make()}
      >
        Side-chain or split …
      </button>
      <Sheet title="Filter or split?" open={ways !== null} onOpenChange={(open) => !open && setWays(null)}>
        {ways && (
          <div className="mt-3 flex flex-col gap-3">
            <Gains ways={ways} />
            {ways.versions.map((version, i) => (
              <div key={version.id} className="flex items-start gap-3">
                <span className={`mt-[8px] h-[3px] w-[22px] shrink-0 ${i ? "bg-rim" : "bg-copper"}`} />
                <p className="flex-1 select-text">
                  <b className="font-[650]">{version.name}.</b> {ways.says[i]}
                </p>
                <button type="button" className="plain" onClick={() => compare(`version:${version.id}`)}>
                  Listen
                </button>
              </div>
            ))}
            <p className="text-mute">Both are versions now, compared at equal loudness; key 2 is now.</p>
          </div>
        )}
      </Sheet>
    </>
  );
});

/** The gain of both over the passage. */
function Gains({ ways }: { ways: Ways }) {
  const ref = useCanvas((context, width, height) => {
    const frame: Frame = { left: 34, top: 8, width: width - 44, height: height - 18 };
    const deepest = Math.min(-3, ...ways.gains_db.flat());
    const axis: Axis = { low: Math.floor(deepest), high: 0 };
    drawGridY(context, frame, axis, [0, axis.low / 2, axis.low]);
    ways.gains_db.forEach((gains, i) => {
      const xs = gains.map((_, at) => frame.left + (at / Math.max(1, gains.length - 1)) * frame.width);
      const ys = gains.map((db) => yAt(frame, axis, db));
      drawLine(context, frame, xs, ys, { ink: i ? "rim" : "copper", width: 1.5 });
    });
  });
  return (
    <div className="picture h-[150px]">
      <canvas ref={ref} role="img" aria-label="Gain of both ways over the passage" />
    </div>
  );
}
