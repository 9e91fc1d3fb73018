/** Drawing the meters: four bars with held peaks, the correlation, the stereo image. */
import type { Gauge } from "../live/protocol";
import { withMinus } from "../ui/format";
import type { Needle } from "../ui/meterBallistics";
import { AXIS_FONT, colour } from "../ui/useCanvas";

const LOWEST_DB = -48;
const TICKS = [0, -6, -12, -24, -36, -48];
export const NAMES = ["L", "R", "M", "S"] as const;

export function drawBars(
  context: CanvasRenderingContext2D,
  width: number,
  height: number,
  needles: Needle[],
): void {
  const top = 6;
  const tall = height - 22;
  const y = (db: number) => top + (Math.min(0, Math.max(LOWEST_DB, db)) / LOWEST_DB) * tall;
  context.font = AXIS_FONT;
  context.textAlign = "right";
  context.fillStyle = colour("mute");
  for (const db of TICKS) context.fillText(withMinus(String(db)), 22, y(db) + 4);
  needles.forEach((needle, i) => {
    const left = 30 + i * Math.min(24, (width - 30) / 4);
    context.fillStyle = colour("trough");
    context.fillRect(left, top, 15, tall);
    context.fillStyle = colour(i < 2 ? "rim" : i === 2 ? "steel" : "plum");
    const at = y(needle.level);
    context.fillRect(left, at, 15, top + tall - at);
    context.fillStyle = colour("copper");
    if (needle.held > LOWEST_DB) context.fillRect(left, y(needle.held) - 1, 15, 2.4);
    context.fillStyle = colour("mute");
    context.textAlign = "center";
    context.font = "500 10.5px 'Archivo Variable', sans-serif";
    context.fillText(NAMES[i]!, left + 7.5, height - 3);
  });
}

export function drawCorrelation(
  context: CanvasRenderingContext2D,
  width: number,
  value: number | null,
): void {
  context.fillStyle = colour("trough");
  context.fillRect(0, 3, width, 9);
  const middle = width / 2;
  if (value !== null) {
    context.fillStyle = colour(value < 0 ? "copper" : "green");
    context.fillRect(Math.min(middle, middle + value * middle), 3, Math.abs(value) * middle, 9);
  }
  context.fillStyle = colour("mute");
  context.fillRect(middle - 0.5, 0, 1, 15);
  context.font = AXIS_FONT;
  (["left", "center", "right"] as const).forEach((align, i) => {
    context.textAlign = align;
    context.fillText(["−1", "0", "+1"][i]!, [0, middle, width][i]!, 25);
  });
}

export function drawScope(
  context: CanvasRenderingContext2D,
  width: number,
  height: number,
  points: Gauge["scope"][],
): void {
  const [x0, y0] = [width / 2, height / 2];
  context.fillStyle = colour("grid");
  context.fillRect(x0 - 0.5, 4, 1, height - 8);
  context.fillRect(4, y0 - 0.5, width - 8, 1);
  context.fillStyle = colour("rim");
  points.forEach(([mid, side], age) => {
    context.globalAlpha = 0.7 * ((age + 1) / points.length);
    mid.forEach((m, i) => {
      const s = side[i] ?? 0;
      // a gentle curve shows quiet music as well as loud
      const size = Math.hypot(m, s);
      const scale = size > 1e-6 ? (size ** 0.55 / size) * 0.47 * height : 0;
      // side is left minus right, and the left stands on the left
      context.fillRect(x0 - s * scale - 0.7, y0 - m * scale - 0.7, 1.5, 1.5);
    });
  });
  context.globalAlpha = 1;
}
