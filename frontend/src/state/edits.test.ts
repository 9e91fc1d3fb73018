import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import type { Recipe, Revision, Song } from "../api/types";
import type { LivePlayer } from "../live/player";

const { client } = vi.hoisted(() => {
  const kept = new Map<string, string>();
  Object.assign(globalThis, {
    localStorage: {
      getItem: (name: string) => kept.get(name) ?? null,
      setItem: (name: string, text: string) => kept.set(name, text),
      removeItem: (name: string) => kept.delete(name),
    },
  });
  class Refused extends Error {
    constructor(
      readonly status: number,
      message: string,
    ) {
      super(message);
    }
  }
  return {
    client: {
      Refused,
      api: {
        edit: vi.fn(),
        keepBeside: vi.fn(),
        describe: vi.fn(),
        undo: vi.fn(),
        redo: vi.fn(),
        forgetLeft: vi.fn(() => Promise.resolve()),
      },
    },
  };
});
vi.mock("../api/client", () => client);
const hand = vi.hoisted(() => ({ isPressed: vi.fn(() => false) }));
vi.mock("./heldValue", () => hand);

const { edit, keepMine, leaveUnkept, moveParam, pretend, stand, standing, step, takeTheirs, takeUp } =
  await import("./edits");
const { lookForUnkept, rest, saveLeaving, settle } = await import("./saving");
const { begin, createSession, session } = await import("./session");
const { useBench } = await import("./store");
const { MASTER } = await import("../tree/tree");

const bus = { id: "mix", name: "Mix", group: null, chain: [], gain_db: 0, pan: 0, muted: false };
function recipeOf(gainDb: number): Recipe {
  return {
    format: "tin-kettle-recipe",
    version: 1,
    buses: [bus],
    groups: [],
    master: [
      { id: "t", kind: "trim", on: true, channels: "stereo", mix: 1, params: { gain_db: gainDb } },
    ] as unknown as Recipe["master"],
    sections: [],
    automation: [],
  } as unknown as Recipe;
}
const revisionOf = (id: number, gainDb: number) => ({ id, recipe: recipeOf(gainDb) }) as unknown as Revision;

const sent = vi.fn();

function openOther(): void {
  useBench.setState({ song: { id: 8, rate_hz: 48000 } as unknown as Song, revision: revisionOf(20, 0) });
  begin(createSession({ sendEdit: sent, refused: stand }));
}
const gain = (recipe: Recipe | null) => (recipe?.master[0]?.params as unknown as { gain_db: number }).gain_db;

interface Saved {
  base: number;
  id: string;
  unanswered: string[];
  label: string;
  recipe: Recipe;
}
const saves = () => client.api.edit.mock.calls.map(([, edit]) => edit as Saved);

let begins = 0;

beforeEach(() => {
  vi.useFakeTimers();
  // every test begins after the time that the one before it pretended
  vi.advanceTimersByTime((begins += 5000));
  for (const call of Object.values(client.api)) call.mockReset();
  client.api.describe.mockResolvedValue({ t: { summary: "", picture: {} } });
  let id = 1;
  client.api.edit.mockImplementation((_song: number, { recipe }: Saved) =>
    Promise.resolve({ id: ++id, recipe } as unknown as Revision),
  );
  sent.mockReset();
  begin(createSession({ sendEdit: sent, refused: stand }));
  const revision = revisionOf(1, 0);
  useBench.setState({
    song: { id: 7, rate_hz: 48000 } as unknown as Song,
    recipe: revision.recipe,
    revision,
    saved: "saved",
    problem: null,
    lane: MASTER,
    selected: "t",
  });
});

afterEach(async () => {
  await settle();
  await vi.advanceTimersByTimeAsync(50);
  vi.useRealTimers();
});

describe("an edit", () => {
  it("is heard at once, and kept once when the hand rests", async () => {
    for (const value of [1, 2, 3]) moveParam("t", "gain_db", value);
    expect(gain(useBench.getState().recipe)).toBe(3);
    expect(sent).toHaveBeenCalledTimes(1);
    await vi.advanceTimersByTimeAsync(30);
    expect(sent).toHaveBeenCalledTimes(2);
    expect(gain(sent.mock.lastCall![0] as Recipe)).toBe(3);
    expect(client.api.edit).not.toHaveBeenCalled();
    await vi.advanceTimersByTimeAsync(400);
    expect(client.api.edit).toHaveBeenCalledTimes(1);
    expect(saves()).toMatchObject([{ base: 1, label: "gain_db" }]);
    expect(useBench.getState().saved).toBe("saved");
    expect(useBench.getState().revision?.id).toBe(2);
  });

  it("is kept at once where the hand lets go", async () => {
    moveParam("t", "gain_db", 5);
    rest();
    await vi.advanceTimersByTimeAsync(1);
    expect(client.api.edit).toHaveBeenCalledTimes(1);
  });

  it("that comes while another is being kept is kept after it, on top of it", async () => {
    edit(recipeOf(1), "one", true);
    await vi.advanceTimersByTimeAsync(0);
    edit(recipeOf(2), "two", true);
    await vi.advanceTimersByTimeAsync(1);
    expect(saves()).toMatchObject([
      { base: 1, label: "one" },
      { base: 2, label: "two" },
    ]);
    expect(saves()[0]!.id).not.toBe(saves()[1]!.id);
    expect(gain(useBench.getState().recipe)).toBe(2);
  });

  it("at one stroke is a step of its own, also while an earlier one is still being kept", async () => {
    let id = 1;
    client.api.edit.mockImplementation(async (_song: number, { recipe }: Saved) => {
      await new Promise((later) => setTimeout(later, 200));
      return { id: ++id, recipe };
    });
    edit(recipeOf(1), "one", true);
    await vi.advanceTimersByTimeAsync(10);
    moveParam("t", "gain_db", 2);
    await vi.advanceTimersByTimeAsync(10);
    edit(recipeOf(3), "three", true);
    await vi.advanceTimersByTimeAsync(10);
    edit(recipeOf(4), "four", true);
    await vi.advanceTimersByTimeAsync(500);
    expect(useBench.getState().saved, "one still waits").toBe("saving");
    await vi.advanceTimersByTimeAsync(1000);
    expect(saves().map(({ base, label, recipe }) => [base, label, gain(recipe)])).toEqual([
      [1, "one", 1],
      [2, "gain_db", 2],
      [3, "three", 3],
      [4, "four", 4],
    ]);
    expect(useBench.getState()).toMatchObject({ saved: "saved", revision: { id: 5 } });
    expect(localStorage.getItem("unkept:7")).toBeNull();
  });

  it("that the server did not take is not lost behind a later one", async () => {
    client.api.edit.mockRejectedValueOnce(new client.Refused(503, "the disk is full"));
    edit(recipeOf(1), "one", true);
    edit(recipeOf(2), "two", true);
    await vi.advanceTimersByTimeAsync(1);
    await settle();
    expect(saves().map(({ label }) => label)).toEqual(["one", "one", "two"]);
    expect(useBench.getState().saved).toBe("saved");
  });

  it("that could not be kept before another song was opened stays with its own", async () => {
    client.api.edit.mockRejectedValueOnce(new client.Refused(0, "no answer"));
    edit(recipeOf(1), "first song", true);
    await vi.advanceTimersByTimeAsync(1);
    openOther();
    edit(recipeOf(2), "second song", true);
    await vi.advanceTimersByTimeAsync(1);
    expect(client.api.edit.mock.lastCall!.slice(0, 2)).toMatchObject([8, { base: 20, label: "second song" }]);
    expect(client.api.edit).toHaveBeenCalledTimes(2);
    expect(localStorage.getItem("unkept:8")).toBeNull();
    expect(localStorage.getItem("unkept:7")).not.toBeNull();
    await vi.advanceTimersByTimeAsync(60000);
    expect(client.api.edit, "its song is tried again no more").toHaveBeenCalledTimes(2);
    localStorage.removeItem("unkept:7");
  });

  it("whose answer comes when another song is open says nothing of that one", async () => {
    let answer: (kept: Revision) => void = () => undefined;
    client.api.edit.mockReturnValueOnce(new Promise<Revision>((resolve) => (answer = resolve)));
    edit(recipeOf(1), "first song", true);
    await vi.advanceTimersByTimeAsync(1);
    openOther();
    answer(revisionOf(9, 1));
    await vi.advanceTimersByTimeAsync(1);
    expect(useBench.getState().revision!.id).toBe(20);
    localStorage.removeItem("unkept:7");
  });

  it("that is on its way to the ear when another song opens never gets there", async () => {
    moveParam("t", "gain_db", 1);
    moveParam("t", "gain_db", 2);
    expect(sent).toHaveBeenCalledTimes(1);
    const close = vi.fn();
    session().player = { close } as unknown as LivePlayer;
    openOther();
    await vi.advanceTimersByTimeAsync(1000);
    expect(close).toHaveBeenCalledTimes(1);
    expect(sent).toHaveBeenCalledTimes(1);
    expect(client.api.edit, "nor is it kept with the other").not.toHaveBeenCalled();
    localStorage.removeItem("unkept:7");
  });

  it("that is refused goes back to what was kept, and says why", async () => {
    client.api.edit.mockRejectedValueOnce(new client.Refused(400, "gain_db: 99 is out of range"));
    edit(recipeOf(99), "far", true);
    await vi.advanceTimersByTimeAsync(1);
    expect(useBench.getState().problem).toContain("out of range");
    expect(gain(useBench.getState().recipe)).toBe(0);
  });

  it("that could not be sent is tried again", async () => {
    client.api.edit.mockRejectedValueOnce(new client.Refused(0, "the server cannot be reached"));
    edit(recipeOf(4), "lost", true);
    await vi.advanceTimersByTimeAsync(1);
    expect(useBench.getState().saved).toBe("failed");
    expect(gain(useBench.getState().recipe)).toBe(4);
    await vi.advanceTimersByTimeAsync(1600);
    expect(client.api.edit).toHaveBeenCalledTimes(2);
    expect(useBench.getState().saved).toBe("saved");
    expect(useBench.getState().problem).toBeNull();
  });

  it("that a server in trouble refuses is tried again, with growing pauses", async () => {
    const broken = new client.Refused(503, "the disk is full");
    client.api.edit.mockRejectedValueOnce(broken).mockRejectedValueOnce(broken);
    edit(recipeOf(4), "patient", true);
    await vi.advanceTimersByTimeAsync(1);
    await vi.advanceTimersByTimeAsync(1600);
    expect(client.api.edit).toHaveBeenCalledTimes(2);
    await vi.advanceTimersByTimeAsync(1600);
    expect(client.api.edit, "not so soon").toHaveBeenCalledTimes(2);
    await vi.advanceTimersByTimeAsync(1600);
    expect([client.api.edit.mock.calls.length, useBench.getState().saved]).toEqual([3, "saved"]);
  });

  it("that another window was quicker than is kept beside, or given up", async () => {
    const opened = vi.fn(() => Promise.resolve());
    session().openAgain = opened;
    client.api.edit.mockRejectedValueOnce(new client.Refused(409, "edited in another window"));
    edit(recipeOf(4), "mine", true);
    await vi.advanceTimersByTimeAsync(1);
    expect(useBench.getState()).toMatchObject({ conflict: true, saved: "failed" });
    await vi.advanceTimersByTimeAsync(60000);
    expect(client.api.edit, "no use in trying again").toHaveBeenCalledTimes(1);
    client.api.keepBeside.mockResolvedValueOnce({ name: "Mine, 14:02" });
    await keepMine();
    expect(gain(client.api.keepBeside.mock.lastCall![2] as Recipe)).toBe(4);
    expect(opened).toHaveBeenCalledTimes(1);
    expect(useBench.getState().conflict).toBe(false);
    await takeTheirs();
    expect(opened).toHaveBeenCalledTimes(2);
  });

  it("is sent when the page goes away", () => {
    edit(recipeOf(6), "leaving");
    saveLeaving();
    expect(saves()).toMatchObject([
      { base: 1, label: "leaving", recipe: { master: [{ params: { gain_db: 6 } }] } },
    ]);
    expect(client.api.edit.mock.lastCall![2]).toBe(true);
    rest();
  });

  it("that lasts is kept twice a second, as one movement, and what is measured stays that of before", async () => {
    for (let step = 0; step < 50; step++) {
      moveParam("t", "gain_db", step / 10);
      await vi.advanceTimersByTimeAsync(40);
    }
    expect(saves().length).toBeGreaterThanOrEqual(4);
    expect(new Set(saves().map(({ id }) => id)).size).toBe(1);
    expect(useBench.getState()).toMatchObject({ saved: "saving", revision: { id: 1 } });
    rest();
    await vi.advanceTimersByTimeAsync(1);
    expect([gain(saves().at(-1)!.recipe), useBench.getState().saved]).toEqual([4.9, "saved"]);
    expect(useBench.getState().revision!.id).toBeGreaterThan(1);
    moveParam("t", "gain_db", 9);
    rest();
    await vi.advanceTimersByTimeAsync(1);
    expect(saves().at(-1)!.id, "another movement").not.toBe(saves()[0]!.id);
  });

  it("that pauses while the button is down is the same movement still", async () => {
    hand.isPressed.mockReturnValue(true);
    moveParam("t", "gain_db", 2);
    await vi.advanceTimersByTimeAsync(2000);
    moveParam("t", "gain_db", 3);
    await vi.advanceTimersByTimeAsync(2000);
    hand.isPressed.mockReturnValue(false);
    await vi.advanceTimersByTimeAsync(1000);
    expect(saves().length).toBeGreaterThanOrEqual(2);
    expect(new Set(saves().map(({ id }) => id)).size).toBe(1);
    expect(useBench.getState().saved).toBe("saved");
  });

  it("whose answer was lost is named with the next, so that it is nobody else's", async () => {
    client.api.edit.mockRejectedValueOnce(new client.Refused(0, "no answer"));
    edit(recipeOf(4), "lost", true);
    await vi.advanceTimersByTimeAsync(1);
    edit(recipeOf(5), "next", true);
    await vi.advanceTimersByTimeAsync(1);
    const [lost, next] = saves();
    expect(next).toMatchObject({ base: 1, unanswered: [lost!.id] });
    expect(localStorage.getItem("unkept:7")).toBeNull();
  });

  it("that no server had is held in the browser and offered at the next start", async () => {
    client.api.edit.mockRejectedValue(new client.Refused(0, "no answer"));
    edit(recipeOf(4), "held", true);
    await vi.advanceTimersByTimeAsync(1);
    const held = localStorage.getItem("unkept:7")!;
    expect(JSON.parse(held)).toMatchObject({ label: "held", recipe: recipeOf(4) });
    client.api.edit.mockImplementation((_song: number, { recipe }: Saved) =>
      Promise.resolve({ id: 9, recipe } as unknown as Revision),
    );
    await takeTheirs();
    localStorage.setItem("unkept:7", held);
    useBench.setState({ recipe: recipeOf(0), unkept: null });
    lookForUnkept(useBench.getState().song!);
    await vi.advanceTimersByTimeAsync(3100);
    expect(useBench.getState().unkept).toMatchObject({ label: "held" });
    takeUp();
    await vi.advanceTimersByTimeAsync(1);
    expect([gain(saves().at(-1)!.recipe), localStorage.getItem("unkept:7")]).toEqual([4, null]);
  });

  it("that the server heard and nobody kept is offered, and given up there", async () => {
    const song = {
      ...useBench.getState().song!,
      left: { song: 7, label: "Gain", recipe: recipeOf(6), at: 1 },
    };
    useBench.setState({ song, recipe: recipeOf(0), unkept: null });
    lookForUnkept(song);
    await vi.advanceTimersByTimeAsync(3100);
    expect(useBench.getState().unkept).toMatchObject({ label: "Gain" });
    leaveUnkept();
    expect([useBench.getState().unkept, client.api.forgetLeft.mock.lastCall]).toEqual([null, [7]]);
  });

  it("is heard with its name, so that the server may hold it", async () => {
    edit(recipeOf(2), "Gain");
    await vi.advanceTimersByTimeAsync(30);
    expect(sent.mock.lastCall![2]).toBe("Gain");
    rest();
    await vi.advanceTimersByTimeAsync(30);
    pretend((recipe) => recipe);
    await vi.advanceTimersByTimeAsync(30);
    expect(sent.mock.lastCall![2]).toBeNull();
    pretend(null);
  });

  it("that is pretended is heard and not kept", async () => {
    pretend((recipe) => recipeOf(gain(recipe) + 12));
    await vi.advanceTimersByTimeAsync(30);
    expect(gain(sent.mock.lastCall![0] as Recipe)).toBe(12);
    // what is moved meanwhile is heard through the pretence, and kept without it
    moveParam("t", "gain_db", 2);
    await vi.advanceTimersByTimeAsync(30);
    expect(gain(sent.mock.lastCall![0] as Recipe)).toBe(14);
    pretend(null);
    await vi.advanceTimersByTimeAsync(1000);
    expect(gain(sent.mock.lastCall![0] as Recipe)).toBe(2);
    expect(client.api.edit).toHaveBeenCalledTimes(1);
    expect(gain(useBench.getState().recipe)).toBe(2);
  });
});

describe("undo", () => {
  it("keeps what is under the hand first", async () => {
    client.api.undo.mockResolvedValue(revisionOf(1, 0));
    moveParam("t", "gain_db", 6);
    const stepped = step("undo");
    await vi.advanceTimersByTimeAsync(5);
    await stepped;
    expect(client.api.edit).toHaveBeenCalledTimes(1);
    expect(client.api.edit.mock.invocationCallOrder[0]).toBeLessThan(
      client.api.undo.mock.invocationCallOrder[0]!,
    );
    expect(gain(useBench.getState().recipe)).toBe(0);
  });
});

describe("undo, pressed again before the first is answered", () => {
  it("is asked for in its turn, and its state stands", async () => {
    let answer: (revision: Revision) => void = () => undefined;
    client.api.undo.mockImplementationOnce(() => new Promise((resolve) => (answer = resolve)));
    client.api.undo.mockResolvedValueOnce(revisionOf(1, 3));
    const both = Promise.all([step("undo"), step("undo")]);
    await vi.advanceTimersByTimeAsync(5);
    expect(client.api.undo).toHaveBeenCalledTimes(1);
    answer(revisionOf(2, 6));
    await both;
    expect(gain(useBench.getState().recipe)).toBe(3);
  });
});

describe("where one stands", () => {
  it("stays on a stage that is there, and goes near one that is gone", () => {
    const recipe = recipeOf(0);
    expect(standing(recipe, MASTER, "t")).toEqual({ lane: MASTER, selected: "t" });
    expect(standing(recipe, "mix", "gone")).toEqual({ lane: "mix", selected: null });
    expect(standing(recipe, "nowhere", null)).toEqual({ lane: MASTER, selected: "t" });
  });
});
