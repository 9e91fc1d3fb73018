import type { Stage } from "../api/types";
import type { Won } from "../api/trialTypes";
import { kindInfo } from "../state/store";
import { colour, useCanvas } from "../ui/useCanvas";
import type { Frame } from "../plots/plot";
import { drawGridX, drawGridY, drawLine, xAt, yAt } from "../plots/plot";
import { useLoudnessGained } from "./useLoudnessGained";
import type { Axis } from "../ui/scale";

/** Distortion in dB against the music that the picture reaches from and to. */
const ADDED: Axis = { low: -70, high: -20 };

/** Loudness won for each dB of push, and the distortion that it costs: tried on the whole song in the background. */
export function LoudnessGainedPicture({ stage }: { stage: Stage }) {
  const { found, problem, progress = 0 } = useLoudnessGained(stage.id, true);
  const won = found ?? null;
  const push = kindInfo(stage.kind)?.pushes;
  const here = push ? (stage.params as unknown as Record<string, number>)[push]! : 0;
  const ref = useCanvas((context, width, height) => won && draw(context, width, height, won, here));
  return (
    <div className="grid min-h-0 grid-rows-[minmax(0,1fr)_max-content]">
      <div className="picture">
        <canvas ref={ref} role="img" aria-label={won ? `Loudness won: ${won.words}` : "Loudness won"} />
        {!won && (
          <div className="absolute inset-0 grid place-items-center p-4 text-center text-mute" role="status">
            {problem ?? `trying pushes on the whole song · ${Math.round(100 * progress)} %`}
          </div>
        )}
      </div>
      {won && <p className="cap pt-1 leading-[1.25]">{won.ends}</p>}
    </div>
  );
}

function draw(context: CanvasRenderingContext2D, width: number, height: number, won: Won, here: number) {
  const frame: Frame = { left: 28, top: 30, width: width - 60, height: height - 54 };
  const { steps, worth_db: worth } = won;
  const far = steps.at(-1)!.push_db;
  const x: Axis = { low: 0, high: far };
  const y: Axis = { low: 0, high: far };
  const ticks = [0, far / 4, far / 2, (3 * far) / 4, far];
  if (worth !== null) {
    context.fillStyle = colour("copper2");
    const from = xAt(frame, x, worth);
    context.fillRect(from, frame.top, frame.left + frame.width - from, frame.height);
  }
  drawGridX(context, frame, x, ticks);
  drawGridY(context, frame, y, ticks);
  const xs = steps.map(({ push_db }) => xAt(frame, x, push_db));
  const ends = [0, far];
  drawLine(
    context,
    frame,
    ends.map((v) => xAt(frame, x, v)),
    ends.map((v) => yAt(frame, y, v)),
    { ink: "tin", width: 1, dash: [3, 3] },
  );
  const added = steps.map(({ added_db }) => yAt(frame, ADDED, Math.max(ADDED.low, added_db)));
  drawLine(context, frame, xs, added, { ink: "copper", width: 1.4, dash: [5, 2] });
  drawLine(
    context,
    frame,
    xs,
    steps.map(({ lufs }) => yAt(frame, y, lufs - steps[0]!.lufs)),
    { ink: "rim", width: 2.2 },
  );
  const at = xAt(frame, x, Math.min(far, here));
  context.fillStyle = colour("ink");
  context.fillRect(at - 0.5, frame.top, 1, frame.height);
  context.font = "500 10.5px 'Archivo Variable', sans-serif";
  context.textAlign = "left";
  context.fillStyle = colour("rim");
  context.fillText("LU gained per dB", frame.left, 12);
  context.fillStyle = colour("copper");
  context.fillText("dashed: what it adds, dB", frame.left, 24);
  for (const db of [-60, -40, -20])
    context.fillText(`−${-db}`, frame.left + frame.width + 5, yAt(frame, ADDED, db) + 3);
}
