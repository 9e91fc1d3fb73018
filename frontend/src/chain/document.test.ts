import { describe, expect, it, vi } from "vitest";
import type { ParameterAutomation, Stage } from "../api/types";
import { recipeOf, shown, split, trim } from "../tree/testRecipes";
import { walk } from "../tree/tree";
import { chainDocument, chainOfDocument, keepCopied, lastCopied, paste } from "./document";

const keyed = (id: string, ...key: string[]) =>
  ({ ...trim(id), kind: "compressor", params: { key } }) as unknown as Stage;
const song = {
  ...recipeOf(trim("a"), split("s", [keyed("k", "mix", "drums")], [])),
  sections: [{ id: "v", name: "Verse", start_s: 0, end_s: 8 }],
  automation: [
    { target: "k", param: "ratio", points: [{ at: 0, value: 2, ramp: "hold" }] },
    {
      target: "s-1",
      param: "gain_db",
      points: [{ at: { section: "v", edge: "start", offset_s: 0 }, value: 2 }],
    },
    { target: "a", param: "gain_db", points: [{ at: 0, value: 2 }] },
  ] as unknown as ParameterAutomation[],
};

describe("a chain by itself", () => {
  it("is a recipe of these stages and how they move, on the buses as they came", () => {
    const document = chainDocument(song, [song.master[1]!]);
    expect(shown(document.master)).toBe("s(k|)");
    expect(document.automation.map(({ target }) => target)).toEqual(["k", "s-1"]);
    expect(document.buses[0]).toMatchObject({ id: "mix", chain: [] });
  });

  it("is pasted under other ids, deaf to buses and free of sections that are not there", () => {
    const document = chainDocument(song, [song.master[1]!]);
    const here = paste(song, document, { home: "mix", at: 0 });
    expect(here.recipe.automation).toHaveLength(5);
    expect(new Set(walk(here.recipe).map(({ id }) => id)).size).toBe(walk(here.recipe).length);
    const there = paste(recipeOf(trim("s")), document, { home: "*master", at: 1 });
    expect(shown(there.recipe.master)).toBe("s split-1(compressor-1|)");
    expect(there.ids).toEqual(["split-1"]);
    expect(walk(there.recipe)[2]!.params).toEqual({ key: ["mix"] });
    expect(there.recipe.automation.map(({ target }) => target)).toEqual(["compressor-1"]);
    const deaf = paste({ ...recipeOf(), buses: [] }, document, { home: "*master", at: 0 });
    expect(walk(deaf.recipe)[1]!.params).toEqual({ key: null });
  });

  it("is the master's, or the first bus's that has one", () => {
    const { master, ...rest } = song;
    expect(chainOfDocument({ ...rest, master })).toBe(master);
    const onBus = { ...rest, master: [], buses: [{ ...rest.buses[0]!, chain: master }] };
    expect(chainOfDocument(onBus)).toBe(master);
    expect(chainOfDocument(recipeOf())).toEqual([]);
  });

  it("stays copied for the next song", () => {
    const kept = new Map<string, string>();
    vi.stubGlobal("localStorage", {
      getItem: (key: string) => kept.get(key) ?? null,
      setItem: (key: string, value: string) => kept.set(key, value),
    });
    expect(lastCopied()).toBeNull();
    const document = chainDocument(song, song.master);
    keepCopied(document);
    expect(lastCopied()).toEqual(document);
  });
});
