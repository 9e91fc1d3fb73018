/**
 * Plays what the socket's worker sends, by absolute position: two streams side by side, so that comparing is a
 * crossfade here. Everything that moves does so along a ramp; on an underrun the sound fades out and in again.
 */
import { Ring } from "./ring";
import type { BlockHead, Heard, ToPlayer } from "./protocol";

declare const sampleRate: number;
declare class AudioWorkletProcessor {
  readonly port: MessagePort;
}
declare function registerProcessor(name: string, processor: unknown): void;

export interface PlayerSettings {
  type: "settings";
  playing: boolean;
  /** what now is compared with, while that is heard; null where now is */
  other: string | null;
  nowGain: number;
  otherGain: number;
  monitorGain: number;
}

/** A state is heard for the first time: where in the stream and in the song the sound is half way over to it. */
export interface Began {
  type: "began";
  revision: number;
  position: number;
  song: number;
}

export interface PlayerReport {
  type: "report";
  epoch: number;
  position: number;
  underruns: number;
  starved: boolean;
  /** how often the browser called for sound too late: nothing that was rendered helps there */
  lateCalls: number;
  /** frames of sound that lie ahead of the ear */
  ahead: number;
}

type Quad = [Float32Array, Float32Array, Float32Array, Float32Array];

const FADE_S = 0.005;
const SWITCH_S = 0.01;
const PREBUFFER_S = 0.04;
const SEAM_S = 0.005;
/** A call for sound that comes so long after the one before, beyond what was asked for, was late. */
const LATE_MS = 120;
const REPORT_FRAMES = Math.round(sampleRate / 47);

class Player extends AudioWorkletProcessor {
  private ring = new Ring(4, SEAM_S * sampleRate, sampleRate);
  private next = new Ring(4, SEAM_S * sampleRate, sampleRate);
  private epoch = -1;
  private nextEpoch = -1;
  private position = 0;
  private envelope = 0;
  private starved = true;
  private underruns = 0;
  private lateCalls = 0;
  private calledAtMs = 0;
  private revision = -1;
  private mix = 0;
  private nowGain = 1;
  private otherGain = 1;
  private monitorGain = 0;
  private sinceReport = REPORT_FRAMES;
  private socket: MessagePort | null = null;
  private settings: PlayerSettings = {
    type: "settings",
    playing: false,
    other: null,
    nowGain: 1,
    otherGain: 1,
    monitorGain: 1,
  };

  /** What is played: the settings, but for a comparison whose sound has not come yet. */
  private active = this.settings;

  constructor() {
    super();
    this.port.onmessage = ({
      data,
    }: MessageEvent<PlayerSettings | { type: "socket"; port: MessagePort }>) => {
      if (data.type === "settings") {
        this.settings = data;
        return;
      }
      this.socket = data.port;
      this.socket.onmessage = ({ data: message }: MessageEvent<ToPlayer>) => this.take(message);
    };
  }

  private take(message: ToPlayer): void {
    if (message.type === "reset") {
      // another server process counts from nought again
      this.nextEpoch = -1;
      this.epoch = -1;
      this.revision = -1;
      this.ring.clear();
      this.starved = true;
      return;
    }
    const { epoch, position, frames, planes, other } = message;
    if (this.epoch < 0) {
      this.epoch = epoch;
      this.position = position;
    }
    this.tellOf(message);
    if (epoch === this.epoch) {
      this.ring.write(position, frames, planes, this.position);
      this.ring.name(position, other, this.position);
    }
    if (epoch > this.epoch) {
      if (epoch !== this.nextEpoch) this.next.clear();
      this.nextEpoch = epoch;
      this.next.write(position, frames, planes, position);
      this.next.name(position, other, position);
    }
  }

  /** Say where a new state begins: what comes late goes over, more shortly, from where the ear is by then. */
  private tellOf({ epoch, revision, position, song, frames }: BlockHead): void {
    const late = epoch === this.epoch ? Math.max(0, this.position - position) : 0;
    // what is heard of a block for less than it takes to go over to it is not heard
    if (revision <= this.revision || late > frames - SEAM_S * sampleRate) return;
    this.revision = revision;
    const half = (late > 0 ? late + (SEAM_S / 2) * sampleRate : (SWITCH_S / 2) * sampleRate) | 0;
    const began: Began = { type: "began", revision, position: position + half, song: song + half };
    this.port.postMessage(began);
  }

  /** Go over to the new epoch once the old one is silent and enough of the new one is there. */
  private turn(): void {
    const ready = this.next.written - this.next.begun >= PREBUFFER_S * sampleRate;
    if (this.nextEpoch < 0 || !ready || this.envelope > 0) return;
    [this.ring, this.next] = [this.next, this.ring];
    this.epoch = this.nextEpoch;
    this.nextEpoch = -1;
    this.position = this.ring.begun;
    this.next.clear();
    this.starved = false;
    this.report();
  }

  private report(): void {
    this.sinceReport = 0;
    const { playing } = this.settings;
    const heard: Heard = { type: "heard", epoch: this.epoch, position: this.position, playing };
    this.socket?.postMessage(heard);
    const report: PlayerReport = {
      type: "report",
      epoch: this.epoch,
      position: this.position,
      underruns: this.underruns,
      starved: this.starved,
      lateCalls: this.lateCalls,
      ahead: Math.max(0, this.ring.written - this.position),
    };
    this.port.postMessage(report);
  }

  process(_inputs: Float32Array[][], outputs: Float32Array[][]): boolean {
    const [left, right] = outputs[0] as [Float32Array, Float32Array];
    const calledAtMs = Date.now();
    if (this.settings.playing && this.calledAtMs > 0 && calledAtMs - this.calledAtMs > LATE_MS)
      this.lateCalls += 1;
    this.calledAtMs = calledAtMs;
    const fade = 1 / (FADE_S * sampleRate);
    const glide = 1 / (SWITCH_S * sampleRate);
    const ahead = this.ring.written - this.position;
    const wanted = this.settings.playing;
    if (wanted && !this.starved && ahead < left.length + 1 / fade) {
      this.starved = true;
      if (this.nextEpoch < 0) this.underruns += 1;
    } else if (this.starved && ahead >= PREBUFFER_S * sampleRate) this.starved = false;
    const turning = this.nextEpoch >= 0 && this.next.written - this.next.begun >= PREBUFFER_S * sampleRate;
    const { other: compared } = this.settings;
    if (compared === null || compared === this.ring.nameAt(this.position)) this.active = this.settings;
    const goal = wanted && !this.starved && !turning ? 1 : 0;
    const { active, settings, ring } = this;
    const [nowLeft, nowRight, otherLeft, otherRight] = ring.planes as Quad;
    const mixGoal = active.other === null ? 0 : 1;
    let { envelope, mix, nowGain, otherGain, monitorGain, position } = this;
    for (let i = 0; i < left.length; i++) {
      envelope += Math.max(-fade, Math.min(fade, goal - envelope));
      mix += Math.max(-glide, Math.min(glide, mixGoal - mix));
      nowGain += (active.nowGain - nowGain) * glide * 3;
      otherGain += (active.otherGain - otherGain) * glide * 3;
      monitorGain += (settings.monitorGain - monitorGain) * glide * 3;
      if (envelope <= 0 || position >= ring.written) {
        if (position >= ring.written) envelope = 0;
        left[i] = right[i] = 0;
        continue;
      }
      // half a cosine from one stream to the other: no corner, and equal signals stay equal
      const share = mix === mixGoal ? mix : 0.5 - 0.5 * Math.cos(Math.PI * mix);
      const now = (1 - share) * nowGain;
      const other = share * otherGain;
      const level = monitorGain * envelope;
      const slot = ring.slot(position);
      left[i] = level * (now * nowLeft[slot]! + other * otherLeft[slot]!);
      right[i] = level * (now * nowRight[slot]! + other * otherRight[slot]!);
      position += 1;
    }
    this.envelope = envelope;
    this.mix = mix;
    this.nowGain = nowGain;
    this.otherGain = otherGain;
    this.monitorGain = monitorGain;
    this.position = position;
    if (turning) this.turn();
    this.sinceReport += left.length;
    if (this.sinceReport >= REPORT_FRAMES) this.report();
    return true;
  }
}

registerProcessor("tin-kettle-player", Player);
