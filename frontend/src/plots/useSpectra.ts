/** The spectra behind a picture: averaged, tilted, held, frozen. */
import { create } from "zustand";
import type { Frame } from "./plot";
import { drawLine, xAt, yAt } from "./plot";
import { colour } from "../ui/useCanvas";
import { wake } from "../ui/ticker";
import { heardNow } from "../state/useLiveReadings";
import type { Row, Spectrum } from "../live/protocol";
import { calmed, SPECTRUM_HZ } from "./spectrum";
import type { Axis } from "../ui/scale";

interface Frozen {
  name: string;
  spectrum: Spectrum;
}

interface Settings {
  averaging: number;
  slope_db_oct: number;
  hold: boolean;
  frozen: Frozen[];
}

/** Shared by all pictures: one looks at one spectrum, not at one a stage. */
export const useSpectrumSettings = create<Settings>(() => ({
  averaging: 0.75,
  slope_db_oct: 3,
  hold: false,
  frozen: [],
}));

useSpectrumSettings.subscribe(wake);

const MOST_FROZEN = 4;
export const LEVELS: Axis = { low: -84, high: 0 };

/** What is shown at the moment; fed by the picture that is on screen. */
class Spectra {
  now: Spectrum | null = null;
  other: Spectrum | null = null;
  held: Spectrum | null = null;
  /** of what one looks at in the chosen stage */
  inside: Record<string, Spectrum> = {};
  private last: unknown = null;
  private count = 0;

  update(): void {
    const meters = heardNow()?.meters;
    if (!meters || meters.now.spectrum === this.last) return;
    this.last = meters.now.spectrum;
    const { averaging, hold } = useSpectrumSettings.getState();
    const calm = (before: Spectrum | null, fresh: Spectrum): Spectrum => [
      calmed(before?.[0], fresh[0], averaging),
      calmed(before?.[1], fresh[1], averaging),
    ];
    this.now = calm(this.now, meters.now.spectrum);
    this.other = calm(this.other, meters.other.spectrum);
    this.inside = Object.fromEntries(
      Object.entries(meters.inside).map(([name, row]) => [name, calm(this.inside[name] ?? null, row)]),
    );
    const fresh = meters.now.spectrum;
    this.held = !hold
      ? null
      : (([0, 1] as const).map((part) =>
          fresh[part].map((db, i) => Math.max(db, this.held?.[part][i] ?? -200)),
        ) as unknown as Spectrum);
  }

  freeze(): void {
    const { frozen } = useSpectrumSettings.getState();
    if (!this.now) return;
    const kept: Frozen = {
      name: `frozen ${++this.count}`,
      spectrum: [this.now[0].slice(), this.now[1].slice()],
    };
    useSpectrumSettings.setState({ frozen: [...frozen, kept].slice(-MOST_FROZEN) });
  }
}

export const spectra = new Spectra();

/** Mid or side; for everything else the two together. */
export function rowFor(spectrum: Spectrum, part: 0 | 1 | null): Row {
  if (part !== null) return spectrum[part];
  return spectrum[0].map(
    (mid, i) => 10 * Math.log10(10 ** (mid / 10) + 10 ** ((spectrum[1][i] ?? -140) / 10)),
  );
}

const INKS = ["mustard", "green", "steel", "plum"];

/** Where the points of a spectrum lie across a picture, and how high its levels. */
function layOut(frame: Frame, axis: Axis, part: 0 | 1 | null) {
  const { slope_db_oct: slope } = useSpectrumSettings.getState();
  const points = SPECTRUM_HZ.map((hz, i) => ({ hz, i })).filter(
    ({ hz }) => hz >= axis.low && hz <= axis.high,
  );
  const lift = points.map(({ hz }) => slope * Math.log2(hz / 1000));
  const ys = (spectrum: Spectrum, gain = 0) => {
    const row = rowFor(spectrum, part);
    return points.map(({ i }, at) => {
      const db = (row[i] ?? -140) + lift[at]! + gain;
      return yAt(frame, LEVELS, Math.max(LEVELS.low, Math.min(LEVELS.high, db)));
    });
  };
  return { xs: points.map(({ hz }) => xAt(frame, axis, hz)), ys };
}

function fillBelow(
  context: CanvasRenderingContext2D,
  frame: Frame,
  xs: number[],
  tops: number[],
  ink: string,
): void {
  context.beginPath();
  context.moveTo(xs[0] ?? frame.left, frame.top + frame.height);
  tops.forEach((y, i) => context.lineTo(xs[i]!, y));
  context.lineTo(xs.at(-1) ?? frame.left, frame.top + frame.height);
  context.fillStyle = colour(ink);
  context.fill();
}

/** One of the spectra inside the chosen stage, as a line that lies `gain` dB higher. */
export function drawInside(
  context: CanvasRenderingContext2D,
  frame: Frame,
  axis: Axis,
  name: string,
  gain: number,
  style: Parameters<typeof drawLine>[4],
): void {
  const spectrum = spectra.inside[name];
  if (!spectrum) return;
  const { xs, ys } = layOut(frame, axis, null);
  drawLine(context, frame, xs, ys(spectrum, gain), style);
}

/** One of the spectra inside the chosen stage, filled. */
export function fillInside(context: CanvasRenderingContext2D, frame: Frame, axis: Axis, name: string): void {
  const spectrum = spectra.inside[name];
  if (!spectrum) return;
  const { xs, ys } = layOut(frame, axis, null);
  fillBelow(context, frame, xs, ys(spectrum), "trough");
}

/** Filled: what the chosen stage listens to; thin line: what is heard. */
export function drawDetector(context: CanvasRenderingContext2D, frame: Frame, axis: Axis): void {
  const { xs, ys } = layOut(frame, axis, null);
  fillInside(context, frame, axis, "detector");
  if (spectra.now) drawLine(context, frame, xs, ys(spectra.now), { ink: "tin", width: 1 });
}

/** Filled: what now is compared with; thin line: now; dotted: held; the frozen ones in inks of their own. */
export function drawSpectra(
  context: CanvasRenderingContext2D,
  frame: Frame,
  axis: Axis,
  part: 0 | 1 | null,
): void {
  const { frozen } = useSpectrumSettings.getState();
  const { xs, ys } = layOut(frame, axis, part);
  if (spectra.other) fillBelow(context, frame, xs, ys(spectra.other), "trough");
  frozen.forEach(({ spectrum }, index) => drawLine(context, frame, xs, ys(spectrum), frozenStyle(index)));
  if (spectra.held) drawLine(context, frame, xs, ys(spectra.held), { ink: "mute", width: 0.9, dash: [2, 2] });
  if (spectra.now) drawLine(context, frame, xs, ys(spectra.now), { ink: "tin", width: 1.2 });
}

const DASHES = [[], [7, 3], [2, 3], [9, 3, 2, 3]];
const NAME_WIDTH = 74;

/** Which line is which of the frozen spectra, at the top right of a picture. */
export function nameFrozen(context: CanvasRenderingContext2D, frame: Frame): void {
  const { frozen } = useSpectrumSettings.getState();
  context.font = "500 10.5px 'Archivo Variable', sans-serif";
  context.textAlign = "left";
  frozen.forEach(({ name }, index) => {
    const left = frame.left + frame.width - (frozen.length - index) * NAME_WIDTH;
    const y = frame.top + 11;
    drawLine(context, frame, [left, left + 18], [y, y], frozenStyle(index));
    context.fillStyle = colour("mute");
    context.fillText(name, left + 22, y + 4);
  });
}

function frozenStyle(index: number) {
  return { ink: INKS[index % INKS.length]!, width: 1.2, dash: DASHES[index % DASHES.length]! };
}
