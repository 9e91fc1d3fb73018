import { beforeEach, describe, expect, it, vi } from "vitest";
import type { Recipe } from "../api/types";
import type { Ask } from "../live/protocol";
import type { PlayerEvents } from "../live/player";

const { client, players } = vi.hoisted(() => {
  const stored = { getItem: () => null, setItem: () => undefined, removeItem: () => undefined };
  const location = { pathname: "/" };
  const history = { pushState: (_: unknown, __: string, path: string) => (location.pathname = path) };
  Object.assign(globalThis, { localStorage: stored, window: globalThis, location, history });
  class Refused extends Error {}
  const api = { song: vi.fn(), stages: vi.fn(), view: vi.fn(), describe: vi.fn(), edit: vi.fn() };
  return { client: { Refused, api }, players: [] as FakePlayer[] };
});

interface Settings {
  other: string | null;
  nowGain: number;
  otherGain: number;
  monitorGain: number;
  playing: boolean;
}

/** Takes down what it is told. */
class FakePlayer {
  settings = {} as Settings;
  asked: Ask[] = [];
  song = 0;

  constructor(
    readonly id: number,
    readonly rateHz: number,
    readonly queueMs: number,
    readonly events: PlayerEvents,
  ) {
    players.push(this);
  }

  set(settings: Partial<Settings>): void {
    Object.assign(this.settings, settings);
  }
  ask(ask: Ask): void {
    this.asked.push(ask);
  }
  now() {
    return { song: this.song };
  }
  setQueue(): void {
    this.asked.length = 0;
  }
  close(): void {
    this.settings.playing = false;
  }
}

vi.mock("../api/client", () => client);
vi.mock("../live/player", () => ({ LivePlayer: FakePlayer }));

const listening = await import("./listening");
const opening = await import("./openSong");
const { useBench } = await import("./store");

const recipe = {
  automation: [],
  buses: [{ id: "mix", chain: [], group: null }],
  groups: [],
  master: [
    { id: "a", kind: "trim", on: true, params: {} },
    { id: "c", kind: "compressor", on: true, params: {} },
  ],
  sections: [],
} as unknown as Recipe;
const hz = { name: "hz", unit: "Hz", low: 10, high: 24000, ticks: [10, 1000, 24000] };

let player: FakePlayer;
const gainDb = (gain: number) => Math.round(2000 * Math.log10(gain)) / 100;
const asked = <Kind extends Ask["type"]>(kind: Kind) =>
  player.asked.findLast((ask): ask is Extract<Ask, { type: Kind }> => ask.type === kind);

beforeEach(async () => {
  const song = { id: 3, rate_hz: 44100, frames: 441000, revision: { id: 9, recipe }, view: {} };
  client.api.song.mockResolvedValue(song);
  client.api.stages.mockResolvedValue({
    kinds: [{ kind: "equalizer", params: [], items: { bands: { title: "Band", params: [hz] } } }],
    branch: [],
  });
  client.api.describe.mockResolvedValue({});
  client.api.view.mockResolvedValue({});
  useBench.setState({ matched: true, monitorDb: 0, dim: false });
  await opening.openSong(3);
  player = players.at(-1)!;
});

describe("a song that is opened", () => {
  it("has an address of its own", () => {
    expect(window.location.pathname).toMatch(/^\/songs\/\d+$/);
    expect(opening.addressed()).toBe(useBench.getState().song!.id);
  });

  it("has its own player, and frequencies that its rate carries", () => {
    expect([player.id, player.rateHz]).toEqual(["/songs/3/live", 44100]);
    const [band] = useBench.getState().stages!.kinds[0]!.items.bands!.params;
    expect(band).toMatchObject({ high: 0.49 * 44100, ticks: [10, 1000] });
    expect(useBench.getState().selected).toBe("c");
    expect(player.settings.other).toBeNull();
  });

  it("ends the one before", async () => {
    listening.setPlaying(true);
    await opening.openSong(3);
    expect(player.settings.playing).toBe(false);
    expect(players.at(-1)).not.toBe(player);
  });
});

describe("comparing", () => {
  it("applies what surveys know, and now keeps its gain whatever it is compared with", () => {
    const gains_db = { now: -4, received: 0, "version:1": -1 };
    listening.knowGains({ gains_db, integrated_lufs: { now: -13, received: -17, "version:1": -16 } });
    expect(asked("gains")?.gains_db).toEqual(gains_db);
    for (const [heard, db] of [
      ["received", 0],
      ["version:1", -1],
    ] as const) {
      listening.compare(heard);
      expect(player.settings.other).toBe(heard);
      expect(gainDb(player.settings.otherGain)).toBe(db);
      expect(gainDb(player.settings.nowGain)).toBe(-4);
    }
    expect(asked("compare")?.other).toBe("version:1");
    expect(asked("listen")?.lufs).toEqual([-13, -16]);
    listening.compare("now");
    expect(player.settings.other).toBeNull();
    listening.setMatched(false);
    expect(player.settings.nowGain).toBe(1);
  });

  it("takes an estimate until a survey knows better, and none from what a stage removes", () => {
    vi.useFakeTimers();
    vi.advanceTimersByTime(10000);
    const heard = (now_db: number, other_name = "received") => {
      vi.advanceTimersByTime(3000);
      const meters = { stages: {}, other_name, match: { other_db: 0, now_db } };
      player.events.heard({ head: { song: 0 }, meters } as never);
    };
    heard(-3);
    expect(gainDb(player.settings.nowGain)).toBe(-3);
    heard(-9, "version:1");
    expect(gainDb(player.settings.nowGain)).toBe(-3);
    listening.listen("removed");
    heard(-20);
    expect(gainDb(player.settings.nowGain)).toBe(-3);
    listening.listen("result");
    listening.knowGains({ gains_db: { now: -3.5, received: 0 }, integrated_lufs: {} });
    heard(-1);
    expect(gainDb(player.settings.nowGain)).toBe(-3.5);
    listening.knowGains(null);
    expect(asked("gains")?.gains_db).toEqual({ received: 0 });
    expect(useBench.getState().match).toEqual({ other_db: 0, now_db: -3.5, estimate: true });
    heard(-6);
    expect(gainDb(player.settings.nowGain)).toBe(-6);
    vi.useRealTimers();
  });

  it("follows the hand that moves what makes louder, where that is wanted", async () => {
    vi.useFakeTimers();
    vi.advanceTimersByTime(90000);
    const kinds = [{ kind: "compressor", louder: true, params: [], items: {} }];
    useBench.setState({ stages: { kinds } as never, selected: "c" });
    const { edit } = await import("./edits");
    let drive = 0;
    const moved = (now_db: number) => {
      edit(
        { ...useBench.getState().recipe!, master: [{ ...recipe.master[1]!, mix: (drive += 0.1) }] },
        "drive",
      );
      vi.advanceTimersByTime(300);
      // what was heard since the last change is too short for more than a glance
      const meters = { stages: {}, other_name: "received", match: null, near: { other_db: 0, now_db } };
      player.events.heard({ head: { song: 0 }, meters } as never);
      return gainDb(player.settings.nowGain);
    };
    listening.knowGains(null);
    moved(-1);
    expect([moved(-1.2), moved(-1.4)]).toEqual([-1.2, -1.4]);
    listening.setMatchMoving(false);
    expect([moved(-3), moved(-5)]).toEqual([-1.4, -1.4]);
    listening.setMatchMoving(true);
    client.api.edit.mockResolvedValue({ id: 10, recipe });
    await vi.advanceTimersByTimeAsync(1000);
    vi.useRealTimers();
  });

  it("keeps a few at hand, but no reference", () => {
    listening.keepAtHand([
      "received",
      "now",
      "version:1",
      "version:2",
      "reference:1",
      "version:3",
      "version:4",
    ]);
    expect(asked("hand")?.others).toEqual(["received", "version:1", "version:2", "version:3"]);
    player.asked.length = 0;
    listening.keepAtHand(["received", "now", "version:1", "version:2", "version:3"]);
    expect(asked("hand")).toBeUndefined();
  });

  it("blindly shows another name until the test ends", () => {
    listening.hearBlind("received", "X");
    expect(useBench.getState().blind).toBe("X");
    expect(player.settings.other).toBe("received");
    listening.endBlind();
    expect(useBench.getState().blind).toBeNull();
  });
});

describe("ways of listening", () => {
  it("combine, and one key takes them all back", () => {
    listening.listenAs({ fold: "mono" });
    listening.listenAs({ range: "lows", high_hz: 90 });
    listening.listen("detector");
    expect(asked("listen")?.listening).toMatchObject({ fold: "mono", range: "lows", high_hz: 90 });
    expect(asked("tap")).toEqual({ type: "tap", stage: "c", tap: "detector" });
    listening.compare("received");
    listening.plainResult();
    expect(asked("listen")?.listening).toMatchObject({ fold: "stereo", range: "all", place: "studio" });
    expect(asked("tap")).toMatchObject({ stage: null, tap: "result" });
    expect(useBench.getState().heard).toBe("now");
  });

  it("turn the monitor down, never above full scale", () => {
    listening.setMonitor(-12);
    expect(gainDb(player.settings.monitorGain)).toBe(-12);
    listening.toggleDim();
    expect(gainDb(player.settings.monitorGain)).toBe(-12 + listening.DIM_DB);
    listening.toggleDim();
    listening.setMonitor(20);
    expect(player.settings.monitorGain).toBe(1);
  });

  it("tell a streaming service as soon as the song's loudness is known", () => {
    listening.listenAs({ place: "streaming" });
    expect(asked("listen")?.lufs).toEqual([null, null]);
    listening.knowGains({ gains_db: { now: 0, received: 0 }, integrated_lufs: { now: -9, received: -17 } });
    expect(asked("listen")?.lufs).toEqual([-9, -17]);
  });
});

describe("where one is", () => {
  it("leaves the loop by seeking out of it, and stays in the song", () => {
    listening.setLoop([44100, 88200]);
    listening.seek(50000);
    expect(useBench.getState().loop).toEqual([44100, 88200]);
    listening.seek(1e9);
    expect(useBench.getState().loop).toBeNull();
    expect(asked("seek")?.song).toBe(440999);
    listening.seek(-5);
    expect(asked("seek")?.song).toBe(0);
  });

  it("loops eight seconds from here, at most to the end", () => {
    player.song = 100;
    listening.loopFromHere();
    expect(useBench.getState().loop).toEqual([100, 100 + 8 * 44100]);
    player.song = 440000;
    listening.loopFromHere();
    expect(useBench.getState().loop).toEqual([441000 - 8 * 44100, 441000]);
  });

  it("stops when what rings on after the end is over, and is back at the start", () => {
    listening.setPlaying(true);
    const heard = (song: number) =>
      player.events.heard({ head: { song }, meters: { stages: {}, match: null, tail: 4410 } } as never);
    heard(445409);
    expect(useBench.getState().playing).toBe(true);
    heard(445410);
    expect(useBench.getState().playing).toBe(false);
    expect(asked("seek")?.song).toBe(0);
  });

  it("shows no less than 64 frames of the song, and never beyond it", () => {
    listening.setView([100, 110]);
    expect(useBench.getState().view).toEqual([100, 164]);
    listening.setView([440990, 441090]);
    expect(useBench.getState().view).toEqual([440900, 441000]);
    listening.setView([0, 441000]);
    expect(useBench.getState().view).toBeNull();
  });
});
