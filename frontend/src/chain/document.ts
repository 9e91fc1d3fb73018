/** Chains by themselves, as recipe files: what is copied, saved and shared. */
import type { Bus, Recipe, ParameterAutomation, Stage } from "../api/types";
import { copied, freshIds } from "../tree/newIds";
import { putStages } from "../tree/moveStages";
import type { Place } from "../tree/moveStages";
import { branchesOf, mapChains, walk, walkChain } from "../tree/tree";

/** A recipe of these stages alone, on the song's buses as they came, so that what listens to a bus still can. */
export function chainDocument(recipe: Recipe, stages: Stage[]): Recipe {
  const bare = (bus: Bus): Bus => ({ ...bus, chain: [], gain_db: 0, pan: 0, muted: false });
  const named = new Set(
    walkChain(stages).flatMap(({ stage }) => [stage.id, ...branchesOf(stage).map(({ id }) => id)]),
  );
  return {
    format: recipe.format,
    version: recipe.version,
    buses: recipe.buses.map(bare),
    groups: recipe.groups.map(bare),
    master: stages,
    sections: recipe.sections,
    automation: recipe.automation.filter(({ target }) => named.has(target)),
  };
}

/** The chain that a recipe file is about: the master's, or that of its first bus with stages. */
export function chainOfDocument(document: Recipe): Stage[] {
  if (document.master.length) return document.master;
  return [...document.buses, ...document.groups].find(({ chain }) => chain.length)?.chain ?? [];
}

/** Put another recipe's chain into this one: under new ids, without what it listened or rode to that is not here. */
export function paste(recipe: Recipe, document: Recipe, place: Place): { recipe: Recipe; ids: string[] } {
  const made = copied(chainOfDocument(document), document.automation, freshIds(recipe));
  const heard = new Set([...recipe.buses, ...recipe.groups].map(({ id }) => id));
  const sections = new Set(recipe.sections.map(({ id }) => id));
  const fits = ({ points }: ParameterAutomation) =>
    points.every(({ at }) => typeof at === "number" || sections.has(at.section));
  const put = putStages(recipe, made.stages, place);
  const pasted = { ...put, automation: [...put.automation, ...made.automation.filter(fits)] };
  return { recipe: onlyHearing(pasted, heard), ids: made.stages.map(({ id }) => id) };
}

/** Detectors listen only to buses that are there. */
function onlyHearing(recipe: Recipe, heard: Set<string>): Recipe {
  const deaf = walk(recipe).some(
    (stage) => stage.kind === "compressor" && stage.params.key?.some((id) => !heard.has(id)),
  );
  if (!deaf) return recipe;
  return mapChains(recipe, (chain) =>
    chain.map((stage) => {
      if (stage.kind !== "compressor" || !stage.params.key) return stage;
      const key = stage.params.key.filter((id) => heard.has(id));
      return { ...stage, params: { ...stage.params, key: key.length ? key : null } };
    }),
  );
}

const KEPT = "copied";

export function keepCopied(document: Recipe): void {
  localStorage.setItem(KEPT, JSON.stringify(document));
}

/** What was copied last, in this song or another. */
export function lastCopied(): Recipe | null {
  const text = localStorage.getItem(KEPT);
  return text === null ? null : (JSON.parse(text) as Recipe);
}
