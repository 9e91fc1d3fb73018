/** Owns the live socket, so that a busy page cannot starve the ear: blocks go straight on to the player. */
import { patched } from "./documentEdits";
import { itemAt, otherName, parseBlock, putInOrder } from "./protocol";
import type { Ask, BlockHead, EditChange, FromWorker, Heard, ToPlayer, ToWorker } from "./protocol";

const LONGEST_WAIT_MS = 500;
/** So far before the ear the server may render while nothing moves; the player's ring holds a little more. */
const FAR_S = 5;
const KEPT_BLOCKS = 512;
const ECHO_EVERY_MS = 2000;

let socket: WebSocket | null = null;
let greeted = false;
let player: MessagePort | null = null;
let url = "";
let queueMs = 200;
let rateHz = 48000;
let boot = "";
let wait = 50;
let heard = { epoch: 0, position: 0, playing: false };
let songHeard = 0;
const blocks: { head: BlockHead }[] = [];
/** The last of each kind, said again when the connection is back. */
const KINDS = ["edit", "touches", "loop", "tap", "choose", "compare", "hand", "gains", "listen"] as const;
const standing: { [Kind in (typeof KINDS)[number]]?: Extract<Ask, { type: Kind }> } = {};

const tell = (message: FromWorker) => self.postMessage(message);
const play = (message: ToPlayer, transfer: Transferable[] = []) => player?.postMessage(message, transfer);

/** What is asked for before the server has greeted stands, and is said then. */
function say(message: object): void {
  if (greeted && socket?.readyState === WebSocket.OPEN) socket.send(JSON.stringify(message));
}

function grant(): void {
  const near = heard.position + Math.round((queueMs / 1000) * rateHz);
  const position = Math.max(near, heard.position + FAR_S * rateHz);
  const { epoch, playing } = heard;
  say({ type: "credit", epoch, position, near, playing, heard: heard.position });
}

function ask(message: Ask | EditChange): void {
  if (message.type === "seek") songHeard = message.song;
  else if (message.type === "change") goOn(message);
  else Object.assign(standing, { [message.type]: message });
  say({ ...message, heard: heard.position });
}

/** Make the change in the edit that stands: another connection is told the whole. */
function goOn({ changes, revision, label }: EditChange): void {
  const { edit } = standing;
  if (edit) standing.edit = { ...edit, recipe: patched(edit.recipe, changes), revision, label };
}

function greet(message: { boot: string; rate_hz: number; frames: number }): void {
  rateHz = message.rate_hz;
  const again = boot !== "";
  greeted = true;
  boot = message.boot;
  wait = 50;
  heard = { ...heard, epoch: 0, position: 0 };
  blocks.length = 0;
  play({ type: "reset" });
  tell({ type: "hello", rateHz, frames: message.frames, again });
  // every connection is a stream of its own: it learns what holds and where the ear was
  for (const kind of KINDS) {
    const last = standing[kind];
    if (last) say({ ...last, heard: 0 });
  }
  if (again || songHeard > 0) say({ type: "seek", song: Math.round(songHeard) });
  grant();
}

function receive(data: string | ArrayBuffer): void {
  if (typeof data === "string") {
    const message = JSON.parse(data) as { type: string; problem?: string; fatal?: boolean; at?: number };
    if (message.type === "work" || message.type === "described" || message.type === "priority")
      tell(message as unknown as FromWorker);
    if (message.type === "echo") tell({ type: "roundTrip", ms: performance.now() - message.at! });
    if (message.type === "hello") greet(message as unknown as Parameters<typeof greet>[0]);
    else if (message.type === "problem")
      tell({ type: "problem", problem: message.problem ?? "", fatal: message.fatal ?? false });
    return;
  }
  const block = parseBlock(data);
  if (!block) return;
  const { planes, values, meters, ...head } = block;
  if (head.epoch > heard.epoch) {
    heard = { ...heard, epoch: head.epoch, position: head.position };
    grant();
  }
  putInOrder(blocks, { head });
  if (blocks.length > KEPT_BLOCKS) blocks.shift();
  play({ type: "block", planes, other: otherName(meters), ...head }, [planes.buffer]);
  // most cheaply handed on as it came, and taken apart only when it is heard
  self.postMessage({ type: "block", head, values, meters } satisfies FromWorker, {
    transfer: [values.buffer],
  });
}

function open(): void {
  const opening = new WebSocket(url);
  opening.binaryType = "arraybuffer";
  opening.onmessage = ({ data }: MessageEvent<string | ArrayBuffer>) => receive(data);
  opening.onclose = () => {
    greeted = false;
    tell({ type: "lost" });
    setTimeout(open, wait);
    wait = Math.min(wait * 2, LONGEST_WAIT_MS);
  };
  socket = opening;
}

self.onmessage = ({ data }: MessageEvent<ToWorker>) => {
  if (data.type === "connect") {
    url = data.url;
    queueMs = data.queueMs;
    player = data.port;
    player.onmessage = ({ data: report }: MessageEvent<Heard>) => {
      if (report.epoch < heard.epoch) return;
      heard = { epoch: report.epoch, position: report.position, playing: report.playing };
      const at = itemAt(blocks, report.epoch, report.position)?.head;
      if (at) songHeard = at.song + report.position - at.position;
      grant();
    };
    open();
    setInterval(() => say({ type: "echo", at: performance.now() }), ECHO_EVERY_MS);
  } else if (data.type === "queue") {
    queueMs = data.queueMs;
    grant();
  } else ask(data.ask);
};
