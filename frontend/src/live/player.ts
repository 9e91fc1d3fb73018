/** The bench's ear: the audio device, the player on it, and the meters of what is being heard at the moment. */
import workletUrl from "./player.worklet.ts?worker&url";
import SocketWorker from "./socket.worker.ts?worker";
import type { Began, PlayerReport, PlayerSettings } from "./player.worklet";
import type { Described, Recipe } from "../api/types";
import { changesBetween, MOST_CHANGES } from "./documentEdits";
import { itemAt, putInOrder, readMeters } from "./protocol";
import type { Ask, BlockHead, FromWorker, Meters, Row, ToWorker, Work } from "./protocol";

export interface Moment {
  head: BlockHead;
  meters: Meters;
}

export interface PlayerEvents {
  connected: (connected: boolean) => void;
  problem: (problem: string, fatal: boolean) => void;
  underruns: (count: number) => void;
  work: (work: Work) => void;
  described: (stages: Record<string, Described>) => void;
  /** A block came, to be heard soon. */
  rendered: (head: BlockHead) => void;
  /** A state is heard for the first time, or will be soon. */
  began: (began: Began) => void;
  /** A block begins to be heard. */
  heard: (moment: Moment) => void;
}

/** A peak between two pictures still shows. */
function keepPeaks(shown: Meters, passed: Meters): void {
  for (const side of ["now", "other"] as const) {
    const levels = shown[side].levels_db;
    passed[side].levels_db.forEach((db, i) => (levels[i] = Math.max(levels[i]!, db)));
    shown[side].clips ||= passed[side].clips;
  }
}

function momentOf(coming: Coming): Moment {
  return (coming.moment ??= { head: coming.head, meters: readMeters(coming.meters, coming.values) });
}

const NO_SOUND =
  "The browser plays no sound for a page that comes over plain HTTP from another machine. " +
  "Open it over HTTPS, or through a tunnel: ssh -L 8360:localhost:8360 that-machine, then http://localhost:8360.";
const NO_PLAYER = "What plays the sound could not be loaded. Reload the page.";
/** More than five seconds of them. */
const KEPT_MOMENTS = 384;

/** A block that may be heard; its meters are taken apart when it is. */
interface Coming {
  head: BlockHead;
  values: Row;
  meters: string;
  moment?: Moment;
}

export class LivePlayer {
  readonly context: AudioContext;
  node: AudioWorkletNode | null = null;
  rateHz: number;
  private readonly worker = new SocketWorker();
  private readonly settings: PlayerSettings = {
    type: "settings",
    playing: false,
    other: null,
    nowGain: 1,
    otherGain: 1,
    monitorGain: 1,
  };
  private coming: Coming[] = [];
  private report: PlayerReport = {
    type: "report",
    epoch: -1,
    position: 0,
    underruns: 0,
    starved: true,
    lateCalls: 0,
    ahead: 0,
  };
  private reportedAt = 0;
  private told: Moment | null = null;
  /** the recipe that was passed on last */
  private edited: Recipe | null = null;
  private closed = false;
  /** how long a message and its answer are under way */
  roundTripMs = 0;
  /** what place the machine gives to the thread that renders */
  priority: "high" | "normal" | null = null;
  /** whether anything was heard yet */
  played = false;

  constructor(
    /** The socket's address below the server's own. */
    private readonly path: string,
    rateHz: number,
    queueMs: number,
    private readonly events: PlayerEvents,
  ) {
    this.rateHz = rateHz;
    this.context = new AudioContext({ sampleRate: rateHz, latencyHint: "interactive" });
    void this.start(queueMs);
  }

  private async start(queueMs: number): Promise<void> {
    // browsers give it to pages of this machine, and over HTTPS
    const worklet = this.context.audioWorklet as AudioWorklet | undefined;
    if (!worklet) {
      this.events.problem(NO_SOUND, true);
      return;
    }
    try {
      await worklet.addModule(workletUrl);
    } catch {
      // one that is closed while it loads misses nothing
      if (!this.closed) this.events.problem(NO_PLAYER, true);
      return;
    }
    if (this.closed) return;
    const node = new AudioWorkletNode(this.context, "tin-kettle-player", {
      numberOfInputs: 0,
      outputChannelCount: [2],
    });
    this.node = node;
    node.connect(this.context.destination);
    node.port.onmessage = ({ data }: MessageEvent<PlayerReport | Began>) => {
      if (data.type === "began") {
        this.events.began(data);
        return;
      }
      if (data.underruns !== this.report.underruns) this.events.underruns(data.underruns);
      this.report = data;
      this.reportedAt = this.context.currentTime;
    };
    node.port.postMessage(this.settings);
    const { port1, port2 } = new MessageChannel();
    node.port.postMessage({ type: "socket", port: port1 }, [port1]);
    const scheme = location.protocol === "https:" ? "wss" : "ws";
    const url = `${scheme}://${location.host}/api${this.path}`;
    this.worker.onmessage = ({ data }: MessageEvent<FromWorker>) => this.hear(data);
    this.post({ type: "connect", url, queueMs, port: port2 }, [port2]);
  }

  private post(message: ToWorker, transfer: Transferable[] = []): void {
    this.worker.postMessage(message, transfer);
  }

  private hear(message: FromWorker): void {
    if (message.type === "block") {
      const { head, values, meters } = message;
      putInOrder(this.coming, { head, values, meters });
      if (this.coming.length > KEPT_MOMENTS) this.coming.shift();
      this.events.rendered(head);
    } else if (message.type === "hello") {
      this.coming = [];
      this.events.connected(true);
    } else if (message.type === "lost") this.events.connected(false);
    else if (message.type === "work") this.events.work(message);
    else if (message.type === "roundTrip") this.roundTripMs = message.ms;
    else if (message.type === "priority") this.priority = message.priority;
    else if (message.type === "described") this.events.described(message.stages);
    else this.events.problem(message.problem, message.fatal);
  }

  /** Ask for something; of an edit only what changes is passed on. */
  ask(ask: Ask): void {
    if (ask.type !== "edit") {
      this.post({ type: "ask", ask });
      return;
    }
    const { recipe, ...named } = ask;
    const changes = this.edited ? changesBetween(this.edited, recipe) : null;
    this.edited = recipe;
    const few = changes !== null && changes.length <= MOST_CHANGES;
    this.post({ type: "ask", ask: few ? { ...named, type: "change", changes } : ask });
  }

  setQueue(queueMs: number): void {
    this.post({ type: "queue", queueMs });
  }

  set(settings: Partial<Omit<PlayerSettings, "type">>): void {
    Object.assign(this.settings, settings);
    this.node?.port.postMessage(this.settings);
    if (settings.playing) {
      this.played = true;
      void this.context.resume();
    }
  }

  /** Seconds of sound that lie ahead of the ear. */
  get aheadS(): number {
    return this.report.ahead / this.rateHz;
  }

  /** How often the browser called for sound too late. */
  get lateCalls(): number {
    return this.report.lateCalls;
  }

  /** Frame of the stream that leaves the speakers now; the device's own delay is taken into account. */
  private position(): number {
    if (!this.settings.playing || this.report.starved) return this.report.position;
    const since = this.context.currentTime - this.reportedAt - (this.context.outputLatency || 0);
    return this.report.position + Math.max(-0.5, Math.min(since, 0.1)) * this.rateHz;
  }

  /** What is heard at the moment, and where in the song; null before the first block. */
  now(): { song: number; moment: Moment } | null {
    const position = this.position();
    const found = itemAt(this.coming, this.report.epoch, position);
    if (!found) return null;
    const moment = momentOf(found);
    // what waits to be played was not heard yet
    if (moment !== this.told && this.played) this.tell(found, moment);
    const into = Math.max(0, Math.min(position - moment.head.position, moment.head.frames));
    return { song: moment.head.song + into, moment };
  }

  /** Tell all that was heard since it was told last: of several blocks between two pictures none is skipped. */
  private tell(found: Coming, moment: Moment): void {
    const before = this.told?.head;
    const passed = this.coming.filter(
      ({ head }) =>
        before !== undefined &&
        head.epoch === before.epoch &&
        head.epoch === found.head.epoch &&
        head.position > before.position &&
        head.position < found.head.position,
    );
    this.told = moment;
    for (const { meters } of passed.map(momentOf)) keepPeaks(moment.meters, meters);
    for (const one of passed) this.events.heard(momentOf(one));
    this.events.heard(moment);
  }

  close(): void {
    this.closed = true;
    this.worker.terminate();
    void this.context.close();
  }
}
