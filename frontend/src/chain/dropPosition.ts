import type { Recipe } from "../api/types";
import type { Place } from "../tree/moveStages";
import { placeOf } from "../tree/moveStages";
import { branchesOf, splitOf, stageOf } from "../tree/tree";
import type { Row } from "./signalFlow";

/** Where a stage goes that is let go over the upper or the lower half of a row. */
export function dropPosition(
  recipe: Recipe,
  { kind, id }: Pick<Row, "kind" | "id">,
  lower: boolean,
): Place | null {
  if (kind === "branch") {
    const branches = splitOf(recipe, id)?.params.branches ?? [];
    const above = branches[branches.findIndex((branch) => branch.id === id) - 1];
    return above && !lower ? { home: above.id, at: above.chain.length } : { home: id, at: 0 };
  }
  const place = placeOf(recipe, id);
  const stage = stageOf(recipe, id);
  if (!place || !stage) return null;
  const branches = branchesOf(stage);
  if (kind === "join") {
    const last = branches.at(-1);
    return lower || !last ? { ...place, at: place.at + 1 } : { home: last.id, at: last.chain.length };
  }
  if (lower && branches[0]) return { home: branches[0].id, at: 0 };
  return lower ? { ...place, at: place.at + 1 } : place;
}
