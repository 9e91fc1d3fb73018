import { Popover } from "radix-ui";
import type { Param } from "../api/types";
import type { Compared } from "../bench/store";
import {
  compare,
  DIM_DB,
  setLoop,
  setMatched,
  setMonitor,
  setPlaying,
  setQueue,
  toggleDim,
  useBench,
} from "../bench/store";
import { formatDb, formatTime } from "../ui/format";
import { Hint } from "../ui/Hint";
import { Rule } from "../ui/Rule";
import { Segments } from "../ui/Segments";
import { useHeard } from "../ui/useHeard";

const MONITOR: Param = {
  name: "monitor",
  type: "number",
  label: "Monitor",
  says: "How loud the bench is heard. It never changes the print.",
  unit: "dB",
  default: -6,
  low: -60,
  high: 0,
  scale: "linear",
  ticks: [-60, -40, -20, 0],
  choices: [],
};
const QUEUES = ["120", "200", "400"].map((value) => ({ value, label: `${value} ms` }));

/** How the bench is heard; nothing here is ever part of the print. */
export function ListeningBar() {
  return (
    <section
      aria-label="Listening"
      className="flex items-center gap-4 overflow-hidden border-t border-line bg-bar px-[14px]"
    >
      <Transport />
      <Comparing />
      <HeardLine />
      <Monitor />
    </section>
  );
}

function Transport() {
  const playing = useBench((s) => s.playing);
  const song = useBench((s) => s.song)!;
  const loop = useBench((s) => s.loop);
  const heard = useHeard();
  const at = (heard?.song ?? song.view.song ?? 0) / song.rate_hz;
  return (
    <>
      <button
        type="button"
        aria-label={playing ? "Pause" : "Play"}
        onClick={() => setPlaying(!playing)}
        className="grid h-[42px] w-[42px] shrink-0 place-items-center rounded-full bg-rim"
      >
        <svg width="16" height="18" aria-hidden className="fill-white">
          {playing ? <path d="M1 1h5v16H1zM10 1h5v16h-5z" /> : <path d="M2 1l13 8-13 8z" />}
        </svg>
      </button>
      <div className="w-[104px] shrink-0">
        <output aria-label="Position" className="block text-[17px] font-bold [font-stretch:92%]">
          {formatTime(at, 2)}
        </output>
        {loop ? (
          <button
            type="button"
            className="cap hover:text-copper"
            title="Leave the loop"
            onClick={() => setLoop(null)}
          >
            loop {formatTime(loop[0] / song.rate_hz, 1)} – {formatTime(loop[1] / song.rate_hz, 1)} ×
          </button>
        ) : (
          <span className="cap">of {formatTime(song.frames / song.rate_hz, 1)}</span>
        )}
      </div>
    </>
  );
}

const STATES: { value: Compared; label: string; key: string }[] = [
  { value: "received", label: "Received", key: "1" },
  { value: "now", label: "Now", key: "2" },
];

function Comparing() {
  const compared = useBench((s) => s.compared);
  const matched = useBench((s) => s.matched);
  const match = useBench((s) => s.match);
  const [who, db] = match.now_db < 0 ? ["now", match.now_db] : ["received", match.received_db];
  const said = matched ? (match.estimate ? "level matched, estimate" : "level matched") : "not matched";
  return (
    <>
      <div className="flex shrink-0 gap-1" role="group" aria-label="Compare">
        {STATES.map(({ value, label, key }) => (
          <button
            key={value}
            type="button"
            aria-pressed={compared === value}
            onClick={() => compare(value)}
            className={`min-w-[82px] border border-line px-[10px] pt-1 pb-[5px] text-left ${compared === value ? "bg-ink text-white" : "bg-well"}`}
          >
            <b className="block font-bold">{label}</b>
            <span
              className={`text-[10px] [font-stretch:84%] ${compared === value ? "text-[#c9c6bc]" : "text-mute"}`}
            >
              key {key}
            </span>
          </button>
        ))}
      </div>
      <Hint text="Compares at equal loudness: the louder one goes down by this much. Off, you hear the levels as they are.">
        <button
          type="button"
          aria-pressed={matched}
          aria-label="Match loudness"
          onClick={() => setMatched(!matched)}
          className={`w-[118px] shrink-0 text-left leading-[1.3] font-[620] ${matched ? "text-green" : "text-copper"}`}
        >
          {said}
          <span className="cap block">
            {matched ? `${who} ${formatDb(db, true)}` : `${who} would go ${formatDb(db, true)}`}
          </span>
        </button>
      </Hint>
    </>
  );
}

/** What is being heard, in words. */
function HeardLine() {
  const compared = useBench((s) => s.compared);
  const tap = useBench((s) => s.tap);
  const connected = useBench((s) => s.connected);
  const underruns = useBench((s) => s.underruns);
  const song = useBench((s) => s.song)!;
  const queueMs = useBench((s) => s.queueMs);
  const heard = useHeard();
  const what =
    compared === "received"
      ? "the song as received"
      : {
          result: "the song as mastered",
          removed: "what the stage removes",
          detector: "what the stage listens to",
        }[tap];
  return (
    <div className="min-w-0 flex-1 leading-[1.35]" role="status">
      <div className="truncate">
        <span className="text-mute">hearing</span> <b className="font-[620]">{what}</b>
      </div>
      <Popover.Root>
        <Popover.Trigger
          className={`cap block max-w-full truncate text-left hover:text-ink ${underruns > 0 || !connected ? "text-copper" : ""}`}
        >
          {connected ? `live · ${song.rate_hz / 1000} kHz` : "connection lost, coming back by itself"}
          {` · load ${Math.round((heard?.meters.load ?? 0) * 100)} %`}
          {` · ${underruns === 0 ? "no" : underruns} ${underruns === 1 ? "gap" : "gaps"}`}
        </Popover.Trigger>
        <Popover.Portal>
          <Popover.Content className="menu w-[290px] p-3!" side="top" sideOffset={8}>
            <b className="font-[640]">Live sound</b>
            <p className="my-1 text-mute">
              Audio queued ahead of the ear. A longer queue has fewer gaps on a busy machine; moves are heard
              as fast.
            </p>
            <Segments
              label="Queue"
              value={String(queueMs)}
              options={QUEUES}
              onChange={(value) => setQueue(Number(value))}
            />
            <p className="cap mt-2">
              The device runs at {song.rate_hz} Hz. Gaps so far: {underruns}. The chain takes{" "}
              {Math.round((heard?.meters.load ?? 0) * 100)} % of the time there is.
            </p>
          </Popover.Content>
        </Popover.Portal>
      </Popover.Root>
    </div>
  );
}

function Monitor() {
  const monitorDb = useBench((s) => s.monitorDb);
  const dim = useBench((s) => s.dim);
  return (
    <div className="flex shrink-0 items-center gap-3">
      <Hint text={`Turns the monitor down by ${-DIM_DB} dB while you talk.`}>
        <button
          type="button"
          aria-pressed={dim}
          onClick={toggleDim}
          className={`border px-[9px] py-[4px] ${dim ? "border-mustard bg-mustard text-white" : "border-line bg-well"}`}
        >
          Dim
        </button>
      </Hint>
      <div className="w-[150px] pt-[6px]">
        <Rule param={MONITOR} value={monitorDb} onMove={setMonitor} onRest={() => undefined} />
      </div>
    </div>
  );
}
