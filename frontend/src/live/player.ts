/** The bench's ear: the audio device, the player on it, and the meters of what is being heard at the moment. */
import workletUrl from "./player.worklet.ts?worker&url";
import SocketWorker from "./socket.worker.ts?worker";
import type { PlayerReport, PlayerSettings } from "./player.worklet";
import type { Described } from "../api/types";
import type { Ask, BlockHead, FromWorker, Meters, ToWorker, Work } from "./protocol";

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
  /** A block begins to be heard. */
  heard: (moment: Moment) => void;
}

const KEPT_MOMENTS = 128;

/** A block that may be heard; its meters are taken apart when it is. */
interface Coming {
  head: BlockHead;
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
  private report: PlayerReport = { epoch: -1, position: 0, underruns: 0, starved: true };
  private reportedAt = 0;
  private told: Moment | null = null;
  private closed = false;
  /** whether anything was heard yet */
  played = false;

  constructor(
    readonly songId: number,
    rateHz: number,
    queueMs: number,
    private readonly events: PlayerEvents,
  ) {
    this.rateHz = rateHz;
    this.context = new AudioContext({ sampleRate: rateHz, latencyHint: "interactive" });
    void this.start(queueMs);
  }

  private async start(queueMs: number): Promise<void> {
    await this.context.audioWorklet.addModule(workletUrl);
    if (this.closed) return;
    const node = new AudioWorkletNode(this.context, "tin-kettle-player", {
      numberOfInputs: 0,
      outputChannelCount: [2],
    });
    this.node = node;
    node.connect(this.context.destination);
    node.port.onmessage = ({ data }: MessageEvent<PlayerReport>) => {
      if (data.underruns !== this.report.underruns) this.events.underruns(data.underruns);
      this.report = data;
      this.reportedAt = this.context.currentTime;
    };
    node.port.postMessage(this.settings);
    const { port1, port2 } = new MessageChannel();
    node.port.postMessage({ type: "socket", port: port1 }, [port1]);
    const scheme = location.protocol === "https:" ? "wss" : "ws";
    const url = `${scheme}://${location.host}/api/songs/${this.songId}/live`;
    this.worker.onmessage = ({ data }: MessageEvent<FromWorker>) => this.hear(data);
    this.post({ type: "connect", url, queueMs, port: port2 }, [port2]);
  }

  private post(message: ToWorker, transfer: Transferable[] = []): void {
    this.worker.postMessage(message, transfer);
  }

  private hear(message: FromWorker): void {
    if (message.type === "block") {
      this.coming.push({ head: message.head, meters: message.meters });
      if (this.coming.length > KEPT_MOMENTS) this.coming.shift();
    } else if (message.type === "hello") {
      this.coming = [];
      this.events.connected(true);
    } else if (message.type === "lost") this.events.connected(false);
    else if (message.type === "work") this.events.work(message);
    else if (message.type === "described") this.events.described(message.stages);
    else this.events.problem(message.problem, message.fatal);
  }

  ask(ask: Ask): void {
    this.post({ type: "ask", ask });
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

  /** Frame of the stream that leaves the speakers now; the device's own delay is taken into account. */
  private position(): number {
    if (!this.settings.playing || this.report.starved) return this.report.position;
    const since = this.context.currentTime - this.reportedAt - (this.context.outputLatency || 0);
    return this.report.position + Math.max(-0.5, Math.min(since, 0.1)) * this.rateHz;
  }

  /** What is heard at the moment, and where in the song; null before the first block. */
  now(): { song: number; moment: Moment } | null {
    const position = this.position();
    const found = this.coming.findLast(
      ({ head }) => head.epoch === this.report.epoch && head.position <= position,
    );
    if (!found) return null;
    const moment = (found.moment ??= { head: found.head, meters: JSON.parse(found.meters) as Meters });
    // what waits to be played was not heard yet
    if (moment !== this.told && this.played) {
      this.told = moment;
      this.events.heard(moment);
    }
    const into = Math.max(0, Math.min(position - moment.head.position, moment.head.frames));
    return { song: moment.head.song + into, moment };
  }

  close(): void {
    this.closed = true;
    this.worker.terminate();
    void this.context.close();
  }
}
