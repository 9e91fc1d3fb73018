"""Parts of a recipe as recipes of their own."""

from __future__ import annotations

from tin_kettle.core.errors import RecipeError
from tin_kettle.core.recipe.automation import targets
from tin_kettle.core.recipe.model import Bus, Chain, Owner, Recipe
from tin_kettle.core.stages.stage import Stage


def bus_alone(recipe: Recipe, bus_id: str) -> Recipe:
    """One bus or group through its own chain and fader, without its group's and without the master.

    The others are muted and still feed the keys.

    Raises:
        RecipeError: there is no such bus.
    """
    known = recipe.buses_and_groups()
    if bus_id not in known:
        raise RecipeError("bus", f"there is no bus '{bus_id}'; there are: {', '.join(known)}")
    feeds = _family(recipe, bus_id)
    silent = {other for other in known if other not in feeds}

    def alone(bus: Bus) -> Bus:
        if bus.id == bus_id:
            return bus.model_copy(update={"group": None, "muted": False})
        return bus.model_copy(update={"muted": True}) if bus.id in silent else bus

    switched = silent | {bus_id}
    kept = {"automation": tuple(r for r in recipe.automation if not (r.target in switched and r.param == "muted"))}
    buses = {"buses": tuple(map(alone, recipe.buses)), "groups": tuple(map(alone, recipe.groups)), "master": ()}
    return _with_its_rides(recipe.model_copy(update={**buses, **kept}))


def eased(recipe: Recipe, stage_id: str) -> Recipe:
    """The recipe with one stage given less to do, as its kind has it; where it has no such way, as it is."""

    def changed(stage: Stage) -> Stage:
        ease = stage.declared.ease
        if stage.id != stage_id or ease is None:
            return stage
        return stage.model_copy(update={"params": stage.params.model_copy(update=ease.params(stage.params))})

    return recipe.map_stages(changed)


def _family(recipe: Recipe, bus_id: str) -> set[str]:
    """Ids of all that feeds a group, itself among them."""
    found = {bus_id}
    for _ in recipe.groups:
        found |= {bus.id for bus in recipe.buses_and_groups().values() if bus.group in found}
    return found


def up_to(recipe: Recipe, stage_id: str, on: bool) -> Recipe:
    """All that the sound passes up to and with a stage, the stage on or off; a bus's stage with its bus alone.

    A stage in a branch is heard with the branch alone.
    """
    place = next((place for place in recipe.walk() if place.stage.id == stage_id), None)
    if place is None:
        raise RecipeError("stage", f"there is no stage '{stage_id}'; choose one of the song's")

    decided = {stage_id}

    def holds(stage: Stage) -> bool:
        return stage.id == stage_id or any(holds(inner) for branch in stage.branches for inner in branch.chain)

    def ended(chain: Chain, owner: Owner | None) -> Chain:
        for index, stage in enumerate(chain):
            if stage.id == stage_id:
                return (*chain[:index], stage.model_copy(update={"on": on}))
            if holds(stage):
                decided.update(branch.id for branch in stage.branches)
                there = tuple(
                    branch.model_copy(update={"muted": not any(holds(inner) for inner in branch.chain)})
                    for branch in stage.branches
                )
                return (*chain[:index], stage.with_branches(there))
        return chain

    cut = recipe.map_chains(ended)
    # what is decided here no ride may decide otherwise; other mutes are as they are at that time
    kept = [r for r in recipe.automation if not (r.target in decided and r.param in ("on", "muted"))]
    cut = cut.model_copy(update={"automation": tuple(kept)})
    return _with_its_rides(cut if place.bus is None else bus_alone(cut, place.bus.id))


def from_stage_on(recipe: Recipe, stage_id: str) -> Recipe | None:
    """The master from a stage on, fed by one bus that plays what comes in there.

    None where the stage is not in the master's own chain, or something from there on listens to a bus.
    """
    at = next((i for i, stage in enumerate(recipe.master) if stage.id == stage_id), None)
    if at is None or any(stage.declared.keys(stage.params) for stage in recipe.master[at:]):
        return None
    fed = Bus(id=recipe.buses[0].id)
    buses = recipe.buses_and_groups()
    rides = tuple(ride for ride in recipe.automation if ride.target not in buses)
    kept = {"buses": (fed,), "groups": (), "master": recipe.master[at:], "automation": rides}
    return _with_its_rides(recipe.model_copy(update=kept))


def _with_its_rides(recipe: Recipe) -> Recipe:
    """The document without the rides of what is no longer in it."""
    there = targets(recipe)
    return recipe.model_copy(update={"automation": tuple(r for r in recipe.automation if r.target in there)})
