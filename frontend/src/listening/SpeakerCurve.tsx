const WIDTH = 64;
const HEIGHT = 30;
const TOP_DB = 9;
const DB = 36;

/** What a place does to the sound, from 20 Hz to 20 kHz. */
export function SpeakerCurve({ curve_db }: { curve_db: number[] }) {
  const y = (db: number) => (Math.max(0, Math.min(DB, TOP_DB - db)) / DB) * HEIGHT;
  const points = curve_db.map((db, i) => `${(i / (curve_db.length - 1)) * WIDTH},${y(db).toFixed(1)}`);
  return (
    <svg
      width={WIDTH}
      height={HEIGHT}
      aria-hidden
      className="shrink-0 self-center border border-faint bg-page"
    >
      <path d={`M0 ${y(0)}H${WIDTH}`} className="stroke-line" />
      <polyline points={points.join(" ")} className="fill-none stroke-rim" strokeWidth="1.5" />
    </svg>
  );
}
