import { beforeEach, expect, test, vi } from "vitest";
import type { Recipe } from "../api/types";
import type { Ask, EditChange } from "./protocol";

const { sockets, page } = vi.hoisted(() => {
  const sockets: FakeSocket[] = [];
  class FakeSocket {
    static readonly OPEN = 1;
    readyState = FakeSocket.OPEN;
    onmessage: (event: { data: string }) => void = () => undefined;
    onclose: () => void = () => undefined;
    said: { type: string; [name: string]: unknown }[] = [];
    constructor() {
      sockets.push(this);
    }
    send(text: string): void {
      this.said.push(JSON.parse(text) as (typeof this.said)[0]);
    }
    greet(): void {
      this.onmessage({
        data: JSON.stringify({ type: "hello", boot: `${sockets.length}`, rate_hz: 48000, frames: 9 }),
      });
    }
    drop(): void {
      this.readyState = 3;
      this.onclose();
    }
  }
  const page = {
    postMessage: () => undefined,
    onmessage: (() => undefined) as (event: { data: unknown }) => void,
  };
  Object.assign(globalThis, { WebSocket: FakeSocket, self: page });
  return { sockets, page };
});
await import("./socket.worker");

const recipe = (gain_db: number) => ({ master: [{ id: "t", params: { gain_db } }] }) as unknown as Recipe;
const ask = (asked: Ask | EditChange) => page.onmessage({ data: { type: "ask", ask: asked } });
const change = (value: number, revision: number) =>
  ask({
    type: "change",
    changes: [{ path: ["master", 0, "params", "gain_db"], value }],
    revision,
    label: "Gain",
  });
const edits = (socket: (typeof sockets)[0]) =>
  socket.said.filter(({ type }) => type === "edit" || type === "change");

beforeEach(() => {
  vi.useFakeTimers();
});

test("changes go on as they are, and another connection is told the whole that they make", () => {
  const port = { postMessage: () => undefined, onmessage: null };
  page.onmessage({ data: { type: "connect", url: "ws://bench", queueMs: 200, port } });
  const [first] = sockets as [(typeof sockets)[0]];
  ask({ type: "edit", recipe: recipe(0), revision: 1, label: "Gain" });
  change(1, 2);
  expect(first.said, "nobody has greeted yet").toEqual([]);
  first.greet();
  expect(edits(first)).toEqual([{ type: "edit", recipe: recipe(1), revision: 2, label: "Gain", heard: 0 }]);
  change(2, 3);
  expect(edits(first).at(-1)).toMatchObject({ type: "change", revision: 3 });

  first.drop();
  change(3, 4);
  vi.advanceTimersByTime(1000);
  const second = sockets[1]!;
  change(4, 5);
  expect(second.said).toEqual([]);
  second.greet();
  expect(edits(second)).toEqual([{ type: "edit", recipe: recipe(4), revision: 5, label: "Gain", heard: 0 }]);
  change(5, 6);
  expect(edits(second).at(-1)).toMatchObject({ type: "change", revision: 6 });
  expect(edits(first), "nothing is said into a lost one").toHaveLength(2);
});
