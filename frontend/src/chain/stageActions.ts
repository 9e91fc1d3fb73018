/** What is done to the stages of a chain, with the words that the history has for it: by keys, menus and dragging. */
import { api } from "../api/client";
import type { Kind, Recipe, Stage } from "../api/types";
import { chainOf, laneOf, newPlace, newStage, setField, setParam } from "../state/editing";
import { edit } from "../state/edits";
import { listenAs, select } from "../state/listening";
import { complain, kindInfo, useBench } from "../state/store";
import { moveStages, nextPlace, placeOf, putStages, removeStages } from "../tree/moveStages";
import type { Place } from "../tree/moveStages";
import {
  addBranch,
  copyBranch,
  dissolveSplit,
  divideBy,
  newSplit,
  removeBranch,
  setBranch,
  wrap,
} from "../tree/splits";
import type { By } from "../tree/splits";
import {
  branchesOf,
  chainAround,
  chainIn,
  MASTER,
  nameOfHome,
  splitOf,
  stageOf,
  walkChain,
} from "../tree/tree";
import { formatHz } from "../ui/format";
import { chainDocument, keepCopied, lastCopied, paste } from "./document";

const state = useBench.getState;

export const WAYS: { by: By; label: string }[] = [
  { by: "bands", label: "bands" },
  { by: "copies", label: "copies" },
  { by: "mid_side", label: "mid / side" },
  { by: "left_right", label: "left / right" },
  { by: "percussive", label: "hits / tonal / rest" },
];

const wayOf = (by: By) => WAYS.find((way) => way.by === by)!.label;

function titleOf(stage: Stage): string {
  return kindInfo(stage.kind)?.title ?? stage.kind;
}

/** What several stages are called together. */
function titles(recipe: Recipe, ids: string[]): string {
  const first = stageOf(recipe, ids[0] ?? null);
  if (ids.length === 1 && first) return titleOf(first);
  return `${ids.length} stages`;
}

/** The chosen stages in the order of their chain: the one that is looked at, and those beside it. */
export function chosen(): string[] {
  const { recipe, selected, also } = state();
  if (!recipe || selected === null) return [];
  return chainAround(recipe, selected)
    .map(({ id }) => id)
    .filter((id) => id === selected || also.includes(id));
}

/** Choose everything from the chosen stage to another of the same chain. */
export function chooseTo(id: string): void {
  const { recipe, selected } = state();
  const chain = recipe && selected !== null ? chainAround(recipe, selected).map((stage) => stage.id) : [];
  const [from, to] = [chain.indexOf(selected ?? ""), chain.indexOf(id)];
  if (to < 0) select(id);
  else
    useBench.setState({
      also: chain.slice(Math.min(from, to), Math.max(from, to) + 1).filter((one) => one !== selected),
    });
}

function chooseAll(ids: string[]): void {
  select(ids[0] ?? null);
  if (ids.length > 1) chooseTo(ids.at(-1)!);
}

/** Take one more of the chain's stages into the choice, or the last one out of it. */
export function chooseMore(by: 1 | -1): void {
  const { recipe, selected, also } = state();
  if (!recipe || selected === null) return;
  const chain = chainAround(recipe, selected).map((stage) => stage.id);
  const ends = [...also, selected].map((id) => chain.indexOf(id));
  const from = chain.indexOf(selected);
  const far = by > 0 ? Math.max(...ends) : Math.min(...ends);
  const back = by > 0 ? Math.min(...ends) : Math.max(...ends);
  const to = chain[back === from ? far + by : back + by];
  if (to !== undefined) chooseTo(to);
}

export function addKind(kind: Kind): void {
  const { recipe, lane, selected, stages } = state();
  const info = kindInfo(kind);
  if (!recipe || !info || !stages) return;
  const stage = kind === "split" ? newSplit(recipe, "bands", stages.split) : newStage(recipe, info);
  const place = newPlace(recipe, lane, selected, kind);
  edit(putStages(recipe, [stage], place), `Add ${info.title}`, true);
  select(stage.id);
}

export function toggle(id: string): void {
  const { recipe } = state();
  const stage = recipe && stageOf(recipe, id);
  if (!recipe || !stage) return;
  edit(setField(recipe, id, { on: !stage.on }), `${titleOf(stage)} ${stage.on ? "off" : "on"}`, true);
}

/** Take stages out of the chain; the choice goes to a neighbour where it was among them. */
export function remove(ids: string[]): void {
  const { recipe, selected } = state();
  const first = recipe && stageOf(recipe, ids[0] ?? null);
  if (!recipe || !first) return;
  const rows = walkChain(chainOf(recipe, laneOf(recipe, first.id))).map(({ stage }) => stage.id);
  const left = removeStages(recipe, ids);
  edit(left, `Remove ${titles(recipe, ids)}`, true);
  if (stageOf(left, selected)) return;
  const at = rows.indexOf(first.id);
  const near = [...rows.slice(at + 1), ...rows.slice(0, at).reverse()];
  select(near.find((other) => stageOf(left, other)) ?? null);
}

/** Put stages somewhere else; false where they may not stand there. */
export function move(ids: string[], to: Place): boolean {
  const { recipe, stages, selected, also } = state();
  if (!recipe || !stages) return false;
  const moved = moveStages(recipe, ids, to, stages.split.deepest);
  if (moved === recipe) return false;
  edit(moved, `Move ${titles(recipe, ids)}`, true);
  if (selected !== null && ids.includes(selected)) {
    select(selected);
    useBench.setState({ also });
  } else chooseAll(ids);
  return true;
}

/** One place up or down, into splits and out of them. */
export function step(by: 1 | -1): void {
  const { recipe, stages } = state();
  const ids = chosen();
  const edge = by > 0 ? ids.at(-1) : ids[0];
  if (!recipe || !stages || edge === undefined) return;
  const place = nextPlace(recipe, edge, by, stages.split.deepest);
  if (place) move(ids, place);
}

/** To the end of the bus beside, or of the master; before a limiter that ends it. */
export function stepLane(by: 1 | -1): void {
  const { recipe, lane } = state();
  const ids = chosen();
  if (!recipe || !ids.length) return;
  const lanes = [...recipe.buses, ...recipe.groups].map(({ id }) => id).concat(MASTER);
  const next = lanes[lanes.indexOf(lane) + by];
  if (next !== undefined) moveToLane(ids, next);
}

export function moveToLane(ids: string[], lane: string): void {
  const { recipe } = state();
  const first = recipe && stageOf(recipe, ids[0] ?? null);
  if (recipe && first) move(ids, newPlace(recipe, lane, null, first.kind));
}

// ---- copying -------------------------------------------------------------------------------------------------------

export function copy(ids: string[]): void {
  const { recipe } = state();
  if (!recipe || !ids.length) return;
  const stages = ids.map((id) => stageOf(recipe, id)).filter((stage) => stage !== undefined);
  keepCopied(chainDocument(recipe, stages));
  useBench.setState({ said: `Copied ${titles(recipe, ids)}: it can be pasted in any song.` });
}

export function cut(ids: string[]): void {
  copy(ids);
  remove(ids);
}

/** Put a chain below the chosen stage, or at the end. */
export function insert(document: Recipe, label: string): void {
  const { recipe, lane, selected, stages } = state();
  if (!recipe || !stages) return;
  const put = paste(recipe, document, newPlace(recipe, lane, selected, "limiter"));
  if (!put.ids.length) return;
  edit(put.recipe, label, true);
  chooseAll(put.ids);
}

/** Lift the hits in the range that is heard alone out of the mix, and hear everything again. */
export async function bringOut(): Promise<void> {
  const { low_hz, high_hz } = state().listening;
  try {
    const chain = await api.bringOut(low_hz, high_hz);
    listenAs({ range: "all" });
    insert(chain, `Bring out hits from ${formatHz(low_hz)} to ${formatHz(high_hz)}`);
  } catch (refused) {
    complain(refused);
  }
}

export function pasteCopied(): void {
  const document = lastCopied();
  if (document)
    insert(
      document,
      `Paste ${titles(
        document,
        document.master.map(({ id }) => id),
      )}`,
    );
}

export function duplicate(ids: string[]): void {
  const { recipe } = state();
  const last = ids.at(-1);
  const place = recipe && last !== undefined && placeOf(recipe, last);
  if (!recipe || !place) return;
  const stages = ids.map((id) => stageOf(recipe, id)!);
  const put = paste(recipe, chainDocument(recipe, stages), { ...place, at: place.at + 1 });
  edit(put.recipe, `${titles(recipe, ids)} again`, true);
  chooseAll(put.ids);
}

/** Put a chain in the place of everything on a lane. */
export function replaceChain(document: Recipe, label: string): void {
  const { recipe, lane } = state();
  if (!recipe) return;
  const home = lane;
  const bare = removeStages(
    recipe,
    chainIn(recipe, home).map(({ id }) => id),
  );
  const put = paste(bare, document, { home, at: 0 });
  edit(put.recipe, label, true);
  select(put.ids[0] ?? null);
}

// ---- splits --------------------------------------------------------------------------------------------------------

export function wrapIn(ids: string[], by: By): void {
  const { recipe, stages } = state();
  if (!recipe || !stages) return;
  const wrapped = wrap(recipe, ids, by, stages.split);
  if (!wrapped.id) return;
  edit(wrapped.recipe, `Split by ${wayOf(by)} around ${titles(recipe, ids)}`, true);
  select(wrapped.id);
}

export function dissolve(id: string): void {
  const { recipe } = state();
  const split = recipe && stageOf(recipe, id);
  if (!recipe || !split) return;
  const first = branchesOf(split).flatMap(({ chain }) => chain)[0];
  const around = chainAround(recipe, id).filter((stage) => stage.id !== id);
  edit(dissolveSplit(recipe, id), "Dissolve the split", true);
  select(first?.id ?? around[0]?.id ?? null);
}

export function divide(id: string, by: By): void {
  const { recipe, stages } = state();
  if (recipe && stages) edit(divideBy(recipe, id, by, stages.split), `Split by ${wayOf(by)}`, true);
}

/** Tell hits and tones apart by frames of another length. */
export function refine(id: string, ms: number): void {
  const { recipe } = state();
  if (recipe) edit(setParam(recipe, id, "resolution_ms", ms), `Split: resolution ${ms} ms`, true);
}

export function moreBranches(split: string): void {
  const { recipe, stages } = state();
  if (recipe && stages) edit(addBranch(recipe, split, stages.split), "Add a branch", true);
}

export function duplicateBranch(id: string): void {
  const { recipe, stages } = state();
  if (recipe && stages) edit(copyBranch(recipe, id, stages.split), `${nameOfHome(recipe, id)} again`, true);
}

export function dropBranch(id: string): void {
  const { recipe, stages, selected } = state();
  const split = recipe && splitOf(recipe, id);
  if (!recipe || !stages || !split) return;
  const left = removeBranch(recipe, id, stages.split);
  edit(left, `Remove ${nameOfHome(recipe, id)}`, true);
  if (!stageOf(left, selected)) select(split.id);
}

export function nameBranch(id: string, name: string): void {
  const { recipe } = state();
  if (recipe) edit(setBranch(recipe, id, { name }), `${nameOfHome(recipe, id)} called ${name}`, true);
}

export function muteBranch(id: string, muted: boolean): void {
  const { recipe } = state();
  if (recipe)
    edit(setBranch(recipe, id, { muted }), `${nameOfHome(recipe, id)} ${muted ? "muted" : "unmuted"}`, true);
}
