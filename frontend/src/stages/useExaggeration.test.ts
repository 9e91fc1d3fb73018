import { expect, test, vi } from "vitest";
import type { Recipe } from "../api/types";

vi.mock("../state/edits", () => ({ pretend: () => undefined }));
vi.mock("../state/store", () => ({ useBench: { setState: () => undefined } }));
const { exaggerated } = await import("./useExaggeration");

const recipeOf = (threshold_db: number, ratio: number) =>
  ({
    buses: [],
    groups: [],
    master: [
      { id: "t", kind: "trim", params: {} },
      { id: "c", kind: "compressor", params: { threshold_db, ratio, attack_ms: 30 } },
    ],
  }) as unknown as Recipe;

test("a compressor works far harder, within what is allowed, and nothing else is touched", () => {
  const far = exaggerated(recipeOf(-20, 2), "c");
  expect(far.master[1]!.params).toEqual({ threshold_db: -32, ratio: 8, attack_ms: 30 });
  expect(exaggerated(recipeOf(-55, 60), "c").master[1]!.params).toMatchObject({
    threshold_db: -60,
    ratio: 100,
  });
  const plain = recipeOf(-20, 2);
  expect(exaggerated(plain, "t")).toBe(plain);
  expect(exaggerated(plain, "gone")).toBe(plain);
});
