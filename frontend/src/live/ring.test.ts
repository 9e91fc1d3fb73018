import { describe, expect, it } from "vitest";
import { HEADER_BYTES, itemAt, otherName, parseBlock, putInOrder, readMeters } from "./protocol";
import { Ring } from "./ring";

const SEAM_FRAMES = 240;
const RATE_HZ = 48000;
const RING_FRAMES = new Ring(0, SEAM_FRAMES, RATE_HZ).frames;

const ramp = (position: number, frames: number, shift = 0) =>
  Float32Array.from({ length: frames }, (_, i) => position + i + shift);

const read = (ring: Ring, plane: number, position: number) => ring.planes[plane]![ring.slot(position)]!;

describe("the ring", () => {
  it("gives back every sample at its own position, across its end", () => {
    const ring = new Ring(1, SEAM_FRAMES, RATE_HZ);
    for (let at = 0; at < 2 * RING_FRAMES; at += 1024) ring.write(at, 1024, ramp(at, 1024), at);
    for (let at = ring.written - 2048; at < ring.written; at++) expect(read(ring, 0, at)).toBe(at);
  });

  it("writes a block across its end, seam and all", () => {
    const ring = new Ring(2, SEAM_FRAMES, RATE_HZ);
    const [end, planes] = [RING_FRAMES - 100, Float32Array.from([...ramp(0, 1024), ...ramp(0, 1024, 7)])];
    ring.write(end - 2048, 4096, new Float32Array(8192), end - 2048);
    ring.write(end, 1024, planes, end);
    expect(read(ring, 1, end + SEAM_FRAMES - 1)).toBe(7 + SEAM_FRAMES - 1);
    for (let at = SEAM_FRAMES; at < 1024; at++)
      expect([read(ring, 0, end + at), read(ring, 1, end + at)]).toEqual([at, at + 7]);
    expect(read(ring, 0, end + 119)).toBeCloseTo(119 / 2, 5);
    expect(read(ring, 0, end + 1024)).toBe(0);
  });

  it("fades into what replaces it, and leaves what was played", () => {
    const ring = new Ring(1, SEAM_FRAMES, RATE_HZ);
    ring.write(0, 4096, ramp(0, 4096), 0);
    ring.write(1024, 1024, ramp(1024, 1024, 5000), 1500);
    expect(read(ring, 0, 1499)).toBe(1499);
    let before = read(ring, 0, 1499);
    for (let at = 1500; at < 1500 + SEAM_FRAMES; at++) {
      expect(read(ring, 0, at) - before).toBeLessThan(30);
      before = read(ring, 0, at);
    }
    expect(read(ring, 0, 1500 + SEAM_FRAMES)).toBe(6500 + SEAM_FRAMES);
  });

  it("goes on without a seam after a rewind, and keeps the old sound until the new one comes", () => {
    const ring = new Ring(1, SEAM_FRAMES, RATE_HZ);
    ring.write(0, 4096, ramp(0, 4096), 0);
    ring.write(1024, 1024, ramp(1024, 1024, 5000), 500);
    expect(ring.written).toBe(4096);
    expect(read(ring, 0, 3000)).toBe(3000);
    ring.write(2048, 1024, ramp(2048, 1024, 5000), 900);
    expect(read(ring, 0, 2047)).toBe(7047);
    expect(read(ring, 0, 2048)).toBe(7048);
    // late: the ear has reached the middle of it, and is taken over from what it heard
    ring.write(3072, 1024, ramp(3072, 1024, 5000), 3500);
    expect(read(ring, 0, 3499)).toBe(3499);
    expect(read(ring, 0, 3500)).toBeLessThan(3550);
    expect(read(ring, 0, 3500 + SEAM_FRAMES)).toBe(8500 + SEAM_FRAMES);
  });

  it("knows what is compared with at every position", () => {
    const ring = new Ring(1, SEAM_FRAMES, RATE_HZ);
    ring.name(0, "received", 0);
    ring.name(1024, "received", 0);
    ring.name(2048, "version:1", 100);
    expect([ring.nameAt(0), ring.nameAt(2047), ring.nameAt(2048)]).toEqual([
      "received",
      "received",
      "version:1",
    ]);
    ring.name(1024, "version:2", 500);
    expect([ring.nameAt(600), ring.nameAt(1024), ring.nameAt(9000)]).toEqual([
      "received",
      "version:2",
      "version:2",
    ]);
    ring.name(4096, "version:2", 3000);
    expect(ring.nameAt(3000)).toBe("version:2");
    expect(ring.nameAt(100)).toBeUndefined();
  });
});

describe("a block on the wire", () => {
  it("is refused when cut short or foreign", () => {
    expect(parseBlock(new ArrayBuffer(8))).toBeNull();
    expect(parseBlock(new ArrayBuffer(HEADER_BYTES))).toBeNull();
  });

  it("is read as the server packs it", () => {
    const meters = new TextEncoder().encode('{"a":{"row":[1,2,2]},"b":{"row":[0,1]},"load":0}');
    const data = new ArrayBuffer(HEADER_BYTES + 2 * 4 * 4 + 5 * 4 + meters.length);
    const view = new DataView(data);
    [0x54, 0x4b, 0x4c, 0x56].forEach((byte, i) => view.setUint8(i, byte));
    view.setUint16(4, 2, true);
    view.setUint16(6, 4, true);
    view.setUint32(8, 2, true);
    view.setUint32(12, 3, true);
    view.setUint32(16, 7, true);
    view.setUint32(20, 5, true);
    view.setFloat64(24, 4096, true);
    view.setFloat64(32, 99, true);
    for (let i = 0; i < 8; i++) view.setFloat32(HEADER_BYTES + 4 * i, i / 8, true);
    for (let i = 0; i < 5; i++) view.setFloat32(HEADER_BYTES + 32 + 4 * i, i, true);
    new Uint8Array(data).set(meters, HEADER_BYTES + 52);
    const block = parseBlock(data)!;
    expect(block).toMatchObject({
      epoch: 3,
      revision: 7,
      frames: 2,
      position: 4096,
      song: 99,
    });
    expect(readMeters(block.meters, block.values)).toEqual({
      a: [new Float32Array([1, 2]), new Float32Array([3, 4])],
      b: new Float32Array([0]),
      load: 0,
    });
    expect([...block.planes]).toEqual([0, 1, 2, 3, 4, 5, 6, 7].map((i) => i / 8));
  });
});

describe("the name of what is compared with", () => {
  it("is read out of the meters, and empty where there is none", () => {
    expect(otherName('{"now":{},"other_name":"version:3","load":0.1}')).toBe("version:3");
    expect(otherName("{}")).toBe("");
  });
});

describe("blocks that are to be heard", () => {
  const block = (position: number, revision = 0, epoch = 0, frames = 1024) => ({
    head: { epoch, revision, frames, position, song: position },
  });
  const shown = (items: ReturnType<typeof block>[]) =>
    items.map(({ head }) => [head.epoch, head.position, head.revision]);

  it("stand in the order of the stream, and what is rendered again replaces what it covers", () => {
    const items: ReturnType<typeof block>[] = [];
    for (const position of [0, 1024, 2048, 3072]) putInOrder(items, block(position));
    putInOrder(items, block(1280, 1));
    expect(shown(items)).toEqual([
      [0, 0, 0],
      [0, 1024, 0],
      [0, 1280, 1],
      [0, 3072, 0],
    ]);
    // until it is replaced as well, what lies farther ahead is still what will be heard there
    expect(itemAt(items, 0, 1279)?.head.revision).toBe(0);
    expect(itemAt(items, 0, 1280)?.head.revision).toBe(1);
    expect(itemAt(items, 0, 3100)?.head.position).toBe(3072);
    putInOrder(items, block(0, 2, 1));
    putInOrder(items, block(2304, 1));
    expect(shown(items).slice(2)).toEqual([
      [0, 1280, 1],
      [0, 2304, 1],
      [1, 0, 2],
    ]);
    expect(itemAt(items, 1, 5000)?.head.epoch).toBe(1);
    expect(itemAt(items, 2, 0)).toBeUndefined();
  });

  it("of any order of blocks the last that came for a position is found", () => {
    let seed = 1;
    const random = (below: number) => (seed = (seed * 48271) % 2147483647) % below;
    const items: ReturnType<typeof block>[] = [];
    const wanted = new Array<number>(64).fill(-1);
    for (let revision = 0; revision < 400; revision++) {
      const position = random(60);
      putInOrder(items, block(position, revision, 0, 4));
      wanted.fill(revision, position, position + 4);
    }
    const positions = items.map(({ head }) => head.position);
    expect(positions).toEqual([...new Set(positions)].sort((a, b) => a - b));
    for (const { head } of items) expect(head.revision).toBe(wanted[head.position]);
  });
});
