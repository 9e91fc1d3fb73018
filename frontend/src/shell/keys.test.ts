import { beforeEach, describe, expect, it, vi } from "vitest";
import type { KindInfo, Recipe, Song } from "../api/types";

vi.hoisted(() => {
  class Element {
    constructor(
      readonly role = "",
      readonly within: string[] = [],
    ) {}
    closest(selector: string) {
      return this.within.some((one) => selector.includes(one)) ? this : null;
    }
    matches(selector: string) {
      return selector.split(", ").includes(this.role);
    }
  }
  class Input extends Element {}
  Object.assign(globalThis, {
    localStorage: { getItem: () => null, setItem: () => undefined },
    HTMLElement: Element,
    HTMLInputElement: Input,
    HTMLSelectElement: class extends Element {},
  });
});
const heard = vi.hoisted(() => ({
  compare: vi.fn(),
  heardSong: vi.fn(() => 480000),
  listen: vi.fn(),
  listenAs: vi.fn(),
  plainResult: vi.fn(),
  seek: vi.fn(),
  select: vi.fn(),
  setLoop: vi.fn(),
  setMatched: vi.fn(),
  setMonitor: vi.fn(),
  setPlaying: vi.fn(),
  setView: vi.fn(),
  toggleDim: vi.fn(),
  WITHOUT_CHAIN: "without:*",
}));
const edits = vi.hoisted(() => ({ edit: vi.fn(), step: vi.fn() }));
vi.mock("../state/listening", () => heard);
vi.mock("../state/edits", () => edits);

const { keyName, obeyBeforeLists, obeyKey, setLetters } = await import("./keys");
const { KEYS } = await import("./keyTable");
const { useBench, PLAIN } = await import("../state/store");
const { MASTER } = await import("../tree/tree");
const { DECLARED } = await import("../tree/testRecipes");

const stage = (id: string, kind: string) => ({ id, kind, on: true, channels: "stereo", mix: 1, params: {} });
const recipe = {
  buses: [{ id: "bass", name: "Bass", chain: [] }],
  groups: [],
  master: [stage("f", "filter"), stage("c", "compressor"), stage("l", "limiter")],
  sections: [
    { id: "v", name: "Verse", start_s: 0, end_s: 8 },
    { id: "k", name: "Chorus", start_s: 8, end_s: 16 },
  ],
} as unknown as Recipe;
const kinds = ["filter", "equalizer", "compressor", "limiter"].map(
  (kind) => ({ kind, title: kind, params: [] }) as unknown as KindInfo,
);

interface Held {
  ctrlKey?: boolean;
  shiftKey?: boolean;
  altKey?: boolean;
  repeat?: boolean;
  defaultPrevented?: boolean;
}
function press(key: string, held: Held = {}, target: EventTarget | null = null) {
  const event = {
    key,
    ctrlKey: false,
    metaKey: false,
    shiftKey: false,
    altKey: false,
    repeat: false,
    defaultPrevented: false,
    ...held,
    target,
  };
  const preventDefault = vi.fn();
  obeyKey({ ...event, preventDefault } as unknown as KeyboardEvent);
  return preventDefault.mock.calls.length > 0;
}
const edited = () => edits.edit.mock.lastCall![0] as Recipe;

beforeEach(() => {
  vi.clearAllMocks();
  useBench.setState({
    song: { id: 1, rate_hz: 48000, frames: 480000 * 2 } as unknown as Song,
    stages: { kinds, shared: { stage: [], bus: [], branch: [] }, split: DECLARED },
    recipe,
    lane: MASTER,
    selected: "c",
    tap: "result",
    loop: null,
    view: null,
    heard: "now",
    matched: true,
    monitorDb: -6,
    playing: false,
    listening: PLAIN,
  });
});

describe("the keys", () => {
  it("mean one thing each, and every one that does something is named", () => {
    const all = KEYS.flatMap(({ keys }) => keys);
    expect(new Set(all).size).toBe(all.length);
    for (const { says } of KEYS) expect(says).not.toBe("");
    expect(KEYS.filter(({ act }) => act).every(({ keys }) => keys.length > 0)).toBe(true);
  });

  it("solo the branch that the chosen stage stands in", () => {
    const parts = {
      ...stage("p", "split"),
      params: { branches: [{ id: "low", name: "Low", chain: [stage("q", "trim")] }] },
    };
    useBench.setState({ recipe: { ...recipe, master: [parts] } as unknown as Recipe, selected: "q" });
    press("s");
    expect(heard.listenAs).toHaveBeenLastCalledWith({ solo: ["low"] });
    useBench.setState({ selected: "p" });
    heard.listenAs.mockClear();
    press("s");
    expect(heard.listenAs, "the master is all there is").not.toHaveBeenCalled();
  });

  it("act as single letters only where somebody wants that", () => {
    setLetters(false);
    expect(press("d")).toBe(false);
    expect([press(" "), press("z", { ctrlKey: true }), press("ArrowDown")]).toEqual([true, true, true]);
    setLetters(true);
    expect(press("d")).toBe(true);
  });

  it("are told with what is held", () => {
    const plain = { ctrlKey: false, metaKey: false, shiftKey: false, altKey: false };
    expect(keyName({ ...plain, key: "Z", ctrlKey: true, shiftKey: true })).toBe("Ctrl+Shift+z");
    expect(keyName({ ...plain, key: "z", metaKey: true })).toBe("Ctrl+z");
    expect(keyName({ ...plain, key: "ArrowUp", altKey: true })).toBe("Alt+ArrowUp");
    // a plus needs Shift on many keyboards
    expect(keyName({ ...plain, key: "+", shiftKey: true })).toBe("+");
  });

  it("hear what stands on them", () => {
    useBench.setState({ keyed: ["received", "now", "version:4"] });
    press("3");
    expect(heard.compare).toHaveBeenLastCalledWith("version:4");
    expect(press("7")).toBe(true);
    expect(heard.compare).toHaveBeenCalledTimes(1);
    press("0");
    expect(heard.compare).toHaveBeenLastCalledWith("without:c");
    useBench.setState({ heard: "without:c" });
    press("0");
    expect(heard.compare).toHaveBeenLastCalledWith("now");
    press("n");
    expect(heard.compare).toHaveBeenLastCalledWith("without:*");
  });

  it("hear a stage with less to do, where its kind has such a way", () => {
    press("q");
    expect(heard.compare).not.toHaveBeenCalled();
    useBench.setState({
      stages: { kinds: [{ kind: "compressor", eased: "threshold up by 3 dB" }] } as never,
    });
    press("q");
    expect(heard.compare).toHaveBeenLastCalledWith("eased:c");
    useBench.setState({ stages: null });
  });

  it("act on a record only where they do not change a song", () => {
    useBench.setState({ record: 1 });
    press("0");
    press("b");
    expect(heard.compare).not.toHaveBeenCalled();
    press("o");
    expect(heard.listenAs).toHaveBeenLastCalledWith({ fold: "mono" });
    useBench.setState({ record: null });
  });

  it("go into a way of listening and back", () => {
    press("r");
    expect(heard.listen).toHaveBeenLastCalledWith("removed");
    useBench.setState({ tap: "removed", listening: { ...PLAIN, fold: "mono", range: "lows" } });
    press("r");
    expect(heard.listen).toHaveBeenLastCalledWith("result");
    press("o");
    expect(heard.listenAs).toHaveBeenLastCalledWith({ fold: "stereo" });
    press("w");
    expect(heard.listenAs).toHaveBeenLastCalledWith({ range: "all" });
  });

  it("solo the open bus, and leave the master alone", () => {
    press("s");
    expect(heard.listenAs).not.toHaveBeenCalled();
    useBench.setState({ lane: "bass" });
    press("s");
    expect(heard.listenAs).toHaveBeenLastCalledWith({ solo: ["bass"] });
    useBench.setState({ listening: { ...PLAIN, muted: ["bass"] } });
    press("p");
    expect(heard.listenAs).toHaveBeenLastCalledWith({ muted: [] });
  });

  it("walk through the song and its sections", () => {
    press("ArrowLeft");
    expect(heard.seek).toHaveBeenLastCalledWith(480000 - 5 * 48000);
    press("l");
    expect(heard.setLoop).toHaveBeenLastCalledWith([384000, 768000]);
    useBench.setState({ loop: [384000, 768000] });
    press("Home");
    expect(heard.seek).toHaveBeenLastCalledWith(384000);
    press("z");
    expect(heard.setView).toHaveBeenLastCalledWith([384000, 768000]);
    press("l");
    expect(heard.setLoop).toHaveBeenLastCalledWith(null);
  });

  it("choose, move, switch and remove a stage", () => {
    press("ArrowUp");
    expect(heard.select).toHaveBeenLastCalledWith("f");
    press("ArrowUp", { altKey: true });
    expect(edited().master.map(({ id }) => id)).toEqual(["c", "f", "l"]);
    press("b");
    expect(edited().master[1]!.on).toBe(false);
    press("Delete");
    expect(edited().master.map(({ id }) => id)).toEqual(["f", "l"]);
    expect(heard.select).toHaveBeenLastCalledWith("l");
    press("e");
    expect(edited().master.map(({ kind }) => kind)).toEqual(["filter", "compressor", "equalizer", "limiter"]);
    press("z", { ctrlKey: true });
    press("y", { ctrlKey: true });
    expect(edits.step.mock.calls).toEqual([["undo"], ["redo"]]);
  });

  it("do their thing once however long they are held, but walk on along the song and the chain", () => {
    for (const key of [" ", "m", "b", "e", "l", "Delete"]) expect(press(key, { repeat: true })).toBe(true);
    expect(press("z", { ctrlKey: true, repeat: true })).toBe(true);
    for (const done of [heard.setPlaying, heard.setMatched, heard.setLoop, edits.edit, edits.step])
      expect(done).not.toHaveBeenCalled();
    press("ArrowRight", { repeat: true });
    press("ArrowDown", { repeat: true });
    press("-", { repeat: true });
    expect(heard.seek).toHaveBeenLastCalledWith(480000 + 5 * 48000);
    expect(heard.select).toHaveBeenLastCalledWith("l");
    expect(heard.setMonitor).toHaveBeenLastCalledWith(-7);
  });
});

describe("a key that belongs to what has the focus", () => {
  const element = (role = "", ...within: string[]) => {
    const Made = globalThis.HTMLElement as unknown as new (role: string, within: string[]) => EventTarget;
    return new Made(role, within);
  };

  it("is left alone in fields, dialogs and menus", () => {
    const Input = globalThis.HTMLInputElement as unknown as new () => EventTarget;
    expect(press("m", {}, new Input())).toBe(false);
    expect(press("m", {}, element("", "[role=dialog]"))).toBe(false);
    expect(press("ArrowLeft", {}, element("", "[role=radiogroup]"))).toBe(false);
    expect(heard.setMatched).not.toHaveBeenCalled();
  });

  it("is the bench's elsewhere: Space plays on a rule and after a click on a button", () => {
    expect(press(" ", {}, element("", "[role=slider]"))).toBe(true);
    expect(press("z", { ctrlKey: true }, element("", "[role=slider]")), "undo").toBe(true);
    expect(press("ArrowLeft", { defaultPrevented: true }), "moved the rule already").toBe(false);
    expect(press(" ", {}, element("button"))).toBe(true);
    expect(heard.setPlaying).toHaveBeenCalledTimes(2);
    expect(heard.seek).not.toHaveBeenCalled();
  });

  it("is the bench's on a closed list too, before the list jumps to a letter", () => {
    const closed = element("", "[role=combobox][aria-expanded=false]");
    const typed = (key: string, target: EventTarget) => {
      const event = { key, target, preventDefault: vi.fn(), stopPropagation: vi.fn() };
      obeyBeforeLists(event as unknown as KeyboardEvent);
      return event.stopPropagation.mock.calls.length > 0;
    };
    expect(typed("m", closed)).toBe(true);
    expect(heard.setMatched).toHaveBeenCalledOnce();
    expect(typed("ArrowDown", closed)).toBe(false);
    expect(typed("m", element("button"))).toBe(false);
    expect(heard.setMatched).toHaveBeenCalledOnce();
  });
});
