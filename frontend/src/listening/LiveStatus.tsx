import { Popover } from "radix-ui";
import { loopFromHere, setMatchMoving, setQueue } from "../state/listening";
import { session } from "../state/session";
import { useBench } from "../state/store";
import { useLiveReadings } from "../state/useLiveReadings";
import { Segments } from "../ui/Segments";
import { Device } from "./Device";
import { diagnose } from "./slowness";

const QUEUES = ["120", "200", "400"].map((value) => ({ value, label: `${value} ms` }));

/** How the live sound is doing: rate, seconds ahead, CPU, dropouts; a click message what is slow and has the settings. */
export function LiveStatus() {
  const connected = useBench((s) => s.connected);
  const underruns = useBench((s) => s.underruns);
  const song = useBench((s) => s.song)!;
  const queueMs = useBench((s) => s.queueMs);
  const matchMoving = useBench((s) => s.matchMoving);
  const load = useLiveReadings((now) => Math.round((now?.meters.load ?? 0) * 100));
  const work = useLiveReadings((now) => Math.round((now?.meters.work ?? 0) * 100));
  const aheadS = useLiveReadings(() => {
    const seconds = session().player?.aheadS ?? 0;
    return seconds < 1 ? Math.round(10 * seconds) / 10 : Math.round(seconds);
  });
  const lateCalls = useLiveReadings(() => session().player?.lateCalls ?? 0);
  const roundTripMs = useLiveReadings(() => Math.round(session().player?.roundTripMs ?? 0));
  const fromMemory = useBench((s) => s.work.progress !== null);
  const slow = diagnose({ load, work, roundTripMs, lateCalls, underruns, fromMemory });
  return (
    <Popover.Root>
      <Popover.Trigger
        className={`cap shrink-0 truncate hover:text-ink ${underruns > 0 || !connected || slow.cause ? "font-bold text-ink" : ""}`}
      >
        {connected ? `${song.rate_hz / 1000} kHz` : "connection lost, coming back by itself"}
        {connected && ` · ${aheadS} s ahead`}
        {` · CPU ${work} %`}
        {` · ${underruns === 0 ? "no" : underruns} ${underruns === 1 ? "dropout" : "dropouts"}`}
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content className="menu w-[290px] p-3!" side="top" sideOffset={8}>
          <b className="font-[640]">Live sound</b>
          <p className="my-1 text-mute">
            {slow.message} {slow.remedy}
          </p>
          {slow.cause === "chain" && (
            <button type="button" className="plain mb-1" onClick={loopFromHere}>
              Render the loop ahead
            </button>
          )}
          <p className="my-1 text-mute">
            Queue: how much of the newest sound is kept before the ear. At rest five seconds are rendered
            ahead; after an edit this much comes first.
          </p>
          <Segments
            label="Queue"
            value={String(queueMs)}
            options={QUEUES}
            onChange={(value) => setQueue(Number(value))}
          />
          <Device />
          <label className="mt-2 flex items-start gap-2">
            <input
              type="checkbox"
              className="mt-[3px]"
              checked={matchMoving}
              onChange={({ target }) => setMatchMoving(target.checked)}
            />
            <span>
              Match while dragging: what makes louder, such as drive, stays as loud while the hand moves it
            </span>
          </label>
          <p className="cap mt-2">
            The device runs at {song.rate_hz} Hz. Dropouts so far: {underruns}; late calls of the browser:{" "}
            {lateCalls}. Rendering takes {work} % of the processor and {load} % of the clock, at{" "}
            {session().player?.priority ?? "normal"} priority.
          </p>
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}
