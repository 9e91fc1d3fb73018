import { beforeEach, expect, test, vi } from "vitest";
import type { Recipe } from "../api/types";
import type { BlockHead, Row } from "./protocol";

const { workers, nodes, FakeWorker } = vi.hoisted(() => {
  const workers: FakeWorker[] = [];
  const nodes: FakeNode[] = [];
  class FakeWorker {
    onmessage: (event: { data: unknown }) => void = () => undefined;
    posted: unknown[] = [];
    constructor() {
      workers.push(this);
    }
    postMessage(message: unknown): void {
      this.posted.push(message);
    }
    terminate(): void {
      this.posted.length = 0;
    }
  }
  class FakeNode {
    port: { onmessage?: (event: { data: unknown }) => void; postMessage: () => void } = {
      postMessage: () => undefined,
    };
    constructor() {
      nodes.push(this);
    }
    connect(): void {
      this.port.postMessage();
    }
  }
  class FakeContext {
    static worklet: object | undefined = { addModule: () => Promise.resolve() };
    currentTime = 0;
    outputLatency = 0;
    audioWorklet = FakeContext.worklet;
    destination = {};
    resume = () => Promise.resolve();
    close = () => Promise.resolve();
  }
  Object.assign(globalThis, {
    AudioContext: FakeContext,
    AudioWorkletNode: FakeNode,
    location: { protocol: "http:", host: "bench" },
  });
  return { workers, nodes, FakeWorker };
});
vi.mock("./player.worklet.ts?worker&url", () => ({ default: "worklet.js" }));
vi.mock("./socket.worker.ts?worker", () => ({ default: FakeWorker }));
const { LivePlayer } = await import("./player");

const events = {
  rendered: vi.fn(),
  began: vi.fn(),
  connected: vi.fn(),
  problem: vi.fn(),
  underruns: vi.fn(),
  work: vi.fn(),
  described: vi.fn(),
  heard: vi.fn(),
};

beforeEach(() => {
  vi.clearAllMocks();
  workers.length = nodes.length = 0;
});

/** A block whose meters say one level for left. */
function block(position: number, left: number) {
  const head: BlockHead = { epoch: 1, revision: 1, frames: 1000, position, song: position };
  const values: Row = Float32Array.of(left, -60, -60, -60);
  const gauge = '{"levels_db":{"row":[0,4]},"clips":false}';
  return { data: { type: "block", head, values, meters: `{"now":${gauge},"other":${gauge},"stages":{}}` } };
}

test("of several blocks between two pictures none is skipped, and the loudest still shows", async () => {
  const player = new LivePlayer("/songs/1/live", 48000, 200, events);
  await vi.waitFor(() => expect(nodes).toHaveLength(1));
  [-20, -30, -3, -40, -25].forEach((left, i) => workers[0]!.onmessage(block(i * 1000, left)));
  player.set({ playing: true });
  const hear = (position: number) =>
    nodes[0]!.port.onmessage!({ data: { type: "report", epoch: 1, position, underruns: 0, starved: true } });
  hear(100);
  expect(player.now()!.moment.meters.now.levels_db[0]).toBe(-20);
  hear(3500);
  expect(player.now()!.moment.meters.now.levels_db[0], "the third block's peak").toBe(-3);
  expect(player.now()!.song).toBe(3500);
  const told = events.heard.mock.calls.map(([{ head }]) => (head as BlockHead).position);
  expect(told).toEqual([0, 1000, 2000, 3000]);
  hear(4100);
  expect(player.now()!.moment.meters.now.levels_db[0], "a peak is shown once").toBe(-25);
  player.close();
});

test("where the browser gives no sound the remedy is told", async () => {
  const context = AudioContext as unknown as { worklet: object | undefined };
  const before = context.worklet;
  context.worklet = undefined;
  new LivePlayer("/songs/1/live", 48000, 200, events);
  await vi.waitFor(() => expect(events.problem).toHaveBeenCalled());
  expect(events.problem.mock.lastCall![0]).toMatch(/HTTPS, or through a tunnel/);
  context.worklet = before;
});

test.each([true, false])(
  "a player that cannot be loaded says so, unless it was closed (%s)",
  async (closed) => {
    const context = AudioContext as unknown as { worklet: object };
    const before = context.worklet;
    context.worklet = { addModule: () => Promise.reject(new Error("Unable to load a worklet's module.")) };
    const [player, told] = [
      new LivePlayer("/songs/1/live", 48000, 200, events),
      events.problem.mock.calls.length,
    ];
    if (closed) player.close();
    // a rejection that nobody takes fails the run
    await new Promise((next) => setTimeout(next));
    expect(events.problem.mock.calls.slice(told)).toEqual(
      closed ? [] : [["What plays the sound could not be loaded. Reload the page.", true]],
    );
    if (!closed) player.close();
    context.worklet = before;
  },
);

test("of an edit only what changes is passed on, and the whole where that is much", () => {
  const player = new LivePlayer("/songs/1/live", 48000, 200, events);
  const asked = () => workers[0]!.posted.map((message) => (message as { ask: object }).ask);
  const recipe = (gains: number[]) =>
    ({ master: gains.map((gain_db) => ({ params: { gain_db } })) }) as unknown as Recipe;
  player.ask({ type: "edit", recipe: recipe([0, 1]), revision: 1, label: "one" });
  player.ask({ type: "edit", recipe: recipe([0, 2]), revision: 2, label: "two" });
  player.ask({ type: "edit", recipe: recipe(Array<number>(100).fill(0)), revision: 3, label: null });
  player.ask({ type: "edit", recipe: recipe(Array<number>(100).fill(9)), revision: 4, label: null });
  expect(asked()).toEqual([
    { type: "edit", recipe: recipe([0, 1]), revision: 1, label: "one" },
    {
      type: "change",
      changes: [{ path: ["master", 1, "params", "gain_db"], value: 2 }],
      revision: 2,
      label: "two",
    },
    {
      type: "change",
      changes: [{ path: ["master"], value: recipe(Array<number>(100).fill(0)).master }],
      revision: 3,
      label: null,
    },
    { type: "edit", recipe: recipe(Array<number>(100).fill(9)), revision: 4, label: null },
  ]);
  player.close();
});
