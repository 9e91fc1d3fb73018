import { expect, it, vi } from "vitest";
import type { Recipe, Song, Stage } from "../api/types";

const { api } = vi.hoisted(() => {
  Object.assign(globalThis, { localStorage: { getItem: () => null, setItem: () => undefined } });
  return { api: { sameWork: vi.fn() } };
});
const edit = vi.hoisted(() => vi.fn());
vi.mock("../api/client", () => ({ api }));
vi.mock("../state/edits", () => ({ edit }));

const { followWork, holdGainReduction } = await import("./holdGainReduction");
const { begin, createSession } = await import("../state/session");
const { useBench } = await import("../state/store");

const compressor = {
  id: "c",
  kind: "compressor",
  on: true,
  params: { threshold_db: -20 },
} as unknown as Stage;
const recipe = { buses: [], groups: [], master: [compressor] } as unknown as Recipe;

/** A compressor's attack moves; what comes back is what answers the question for its threshold. */
function moved(): (threshold_db: number) => Promise<void> {
  let answer: (found: { threshold_db: number }) => void = () => undefined;
  api.sameWork.mockReturnValueOnce(new Promise((resolve) => (answer = resolve)));
  begin(createSession());
  useBench.setState({ song: { id: 7, frames: 100 } as unknown as Song, recipe });
  holdGainReduction(true);
  followWork(compressor, "attack_ms", recipe);
  return async (threshold_db) => {
    answer({ threshold_db });
    await new Promise((resolve) => setTimeout(resolve));
  };
}

it("the threshold follows a hand on the attack", async () => {
  edit.mockReset();
  await moved()(-24);
  const [followed] = edit.mock.lastCall as [Recipe];
  expect((followed.master[0]!.params as { threshold_db: number }).threshold_db).toBe(-24);
});

it("a threshold that was found for one song is not set in the next", async () => {
  edit.mockReset();
  const answer = moved();
  begin(createSession());
  await answer(-24);
  expect(edit).not.toHaveBeenCalled();
});
