"""Reading and writing recipes: JSON in, a checked document out, refusals that name path, value and remedy."""

from __future__ import annotations

import itertools
import json
import math
from collections.abc import Callable, Iterable
from difflib import get_close_matches
from pathlib import Path
from types import UnionType
from typing import Annotated, Any, TypeVar, Union, get_args, get_origin

from pydantic import BaseModel, ValidationError

from tin_kettle.core.atomic_files import written_beside
from tin_kettle.core.errors import KettleError, RecipeError
from tin_kettle.core.recipe.automation import automation_of, path_in_params
from tin_kettle.core.recipe.bus_order import in_order
from tin_kettle.core.recipe.model import Recipe, SectionTime
from tin_kettle.core.recipe.size_limits import DEEPEST_NESTING, check_size, read_float, read_int
from tin_kettle.core.stages import KINDS
from tin_kettle.core.stages.filter import HIGHEST_SHARE
from tin_kettle.core.stages.split import DEEPEST
from tin_kettle.core.stages.stage import Stage

_SHOWN = 60
TOUCHING_S = 1e-6
"""Sections that overlap by no more touch each other."""
Read = TypeVar("Read", bound=BaseModel)


def parse_recipe(document: object, before: tuple[object, Recipe] | None = None) -> Recipe:
    """Check a decoded JSON document.

    Args:
        before: a document that was read, and as what. Parts that both share, the very same in memory, are not read
            again: a hand moves one value at a time.

    Raises:
        RecipeError: for anything that the contract does not allow; nothing is clamped.
    """
    if before is not None:
        document = _with_parts(document, *before)
    check_size(document)
    recipe = read_as(Recipe, document, RecipeError)
    _check_ids(recipe)
    _check_groups(recipe)
    in_order(recipe)
    _check_items(recipe)
    _check_stages(recipe)
    _check_sections(recipe)
    automation_of(recipe)
    return recipe


def _with_parts(document: object, before: object, recipe: Recipe) -> object:
    """A document with the parts of a recipe in place of what they were read from."""
    if not isinstance(document, dict) or not isinstance(before, dict):
        return document
    found = dict(document)
    for name in Recipe.model_fields:
        given, read = document.get(name), before.get(name)
        if isinstance(given, list) and isinstance(read, list):
            parts = {id(raw): part for raw, part in zip(read, getattr(recipe, name), strict=True)}
            found[name] = [parts.get(id(raw), raw) for raw in given]
    return found


def load_recipe(path: Path) -> Recipe:
    """Read and check a ``*.kettle.json`` file.

    Raises:
        RecipeError: the file cannot be read, is not JSON, or is refused. In a file points have to stand in the order of
            time: another order, written by hand, is a mistake.
    """
    recipe = parse_recipe(read_document(path, "recipe", RecipeError))
    _check_points(recipe)
    return recipe


_MEMBERS = ("float", "constrained-float", "SectionTime", "bool", "str")
"""Names that pydantic gives the members of unions."""


def read_as(model: type[Read], document: object, error: Callable[[str, str], KettleError]) -> Read:
    """A decoded document as what it has to be; else ``error`` with the JSON path, the value and what is allowed."""
    try:
        return model.model_validate(document)
    except ValidationError as refused:
        raise error(*_first_problem(refused, model)) from None


def _first_problem(refused: ValidationError, model: type[BaseModel]) -> tuple[str, str]:
    """The JSON path of the first thing that is wrong with a document, and what is wrong with it."""
    first, *more = refused.errors(include_url=False)
    if first["loc"] and first["loc"][-1] in _MEMBERS and isinstance(first["input"], dict) and more:
        first = more[0]  # may be a number or an object, and is an object
    return _path(first["loc"]), _problem({**first, "model": _model_at(model, first["loc"][:-1])})


def _model_at(model: object, location: tuple[int | str, ...]) -> type[BaseModel] | None:
    """The model that describes what lies at a pydantic location; None where none does."""
    for step in location:
        if isinstance(step, str) and isinstance(model, type) and issubclass(model, BaseModel):
            field = model.model_fields.get(step)
            model = field.annotation if field else None
        else:
            members = [one for one in _members(model) if isinstance(one, type) and issubclass(one, BaseModel)]
            kinds = [one for one in members if "kind" in one.model_fields and one.model_fields["kind"].default == step]
            named = [one for one in members if one.__name__ == step]
            model = _item_of(model) if isinstance(step, int) else next(iter(kinds or named), model)
    if not (isinstance(model, type) and issubclass(model, BaseModel)):
        members = [one for one in _members(model) if isinstance(one, type) and issubclass(one, BaseModel)]
        model = members[0] if len(members) == 1 else None
    return model


def _item_of(annotation: object) -> object:
    """What a list of this kind holds."""
    for one in _members(annotation):
        if get_origin(one) in (tuple, list):
            return get_args(one)[0]
    return None


def _members(annotation: object) -> list[object]:
    """The members of a union, or the one that it is, without what is annotated to them."""
    while get_origin(annotation) is Annotated:
        annotation = get_args(annotation)[0]
    if get_origin(annotation) in (Union, UnionType):
        return [member for one in get_args(annotation) for member in _members(one)]
    return [annotation]


def read_document(path: Path, what: str, error: Callable[[str, str], KettleError]) -> Any:
    """The decoded JSON of a file; ``error`` is raised where it cannot be read."""
    try:
        text = path.read_text(encoding="utf-8")
    except OSError as problem:
        raise error(str(path), f"cannot be read ({problem.strerror}); name a {what} file") from None
    except UnicodeDecodeError:
        raise error(str(path), f"is not text; a {what} is a UTF-8 JSON file") from None
    try:
        return json.loads(text, object_pairs_hook=_no_twins, parse_int=read_int, parse_float=read_float)
    except json.JSONDecodeError as problem:
        raise error(str(path), f"is not JSON: {problem.msg} in line {problem.lineno}") from None
    except RecursionError:
        raise error(
            str(path), f"is nested deeper than {DEEPEST_NESTING}; at most {DEEPEST_NESTING} is allowed"
        ) from None


def save_recipe(path: Path, recipe: Recipe) -> None:
    """Write a recipe file, whole or not at all.

    Raises:
        RecipeError: it cannot be written there.
    """
    try:
        with written_beside(path) as beside:
            beside.write_text(json.dumps(dump_recipe(recipe), indent=2, ensure_ascii=False) + "\n", encoding="utf-8")
    except OSError as problem:
        raise RecipeError(str(path), f"cannot be written ({problem.strerror}); choose another folder") from None


def dump_recipe(recipe: Recipe) -> dict[str, Any]:
    """The document with every default written out, ready for ``json.dumps``."""
    return recipe.model_dump(mode="json")


def check_rate(recipe: Recipe, rate_hz: float) -> None:
    """Refuse frequencies that the rate cannot carry, at rest or reached by automation.

    A low-pass above 0.49 × rate is bypassed instead.

    Raises:
        RecipeError: the path of the frequency, or of the automation that brings it there.
    """
    automation, highest_hz = automation_of(recipe), HIGHEST_SHARE * rate_hz
    for place in recipe.walk():
        stage = place.stage
        if not automation.can_be_on(stage):
            continue
        # the sum grows with every frequency that comes to count
        stage = automation.farthest(stage, lambda one: sum(hz for _, hz in one.declared.hz_params(one.params)))
        for name, hz in stage.declared.hz_params(stage.params):
            if hz > highest_hz:
                raise RecipeError(
                    _automated_path(recipe, place.stage, name) or f"{place.path}.params.{name}",
                    f"{hz:g} Hz is above what {rate_hz:g} Hz carries; at most {highest_hz:g} Hz is allowed",
                )


def _automated_path(recipe: Recipe, stage: Stage, name: str) -> str | None:
    """Where the points of a parameter are, ``bands[0].hz`` of a stage; None where it does not move."""
    for i, moved in enumerate(automation_of(recipe).curves):
        if moved.target == stage.id and path_in_params(stage, moved.param) == name:
            return f"$.automation[{i}].points"
    return None


def _no_twins(pairs: list[tuple[str, Any]]) -> dict[str, Any]:
    names = [name for name, _ in pairs]
    twins = {name for name in names if names.count(name) > 1}
    if twins:
        raise RecipeError("$", f"the name '{min(twins)}' stands twice in one object; keep one of them")
    return dict(pairs)


def _path(location: tuple[int | str, ...]) -> str:
    """JSON path of a pydantic location; the names of union members are not part of the document."""
    path, previous = "$", ""
    for step in location:
        if isinstance(step, int):
            path += f"[{step}]"
        elif not (step in KINDS and path.endswith("]") and previous in ("chain", "master")) and step not in _MEMBERS:
            path += f".{step}"
        previous = step if isinstance(step, str) else previous
    return path


def _shown(value: object) -> str:
    text = json.dumps(value, default=str, ensure_ascii=False)
    return text if len(text) <= _SHOWN else text[: _SHOWN - 1] + "…"


def _number_range(error: dict[str, Any]) -> str:
    words = {"ge": "at least", "le": "at most", "gt": "above", "lt": "below"}
    limits = {name: limit for name, limit in error.get("ctx", {}).items() if name in words}
    name, model = error["loc"][-1], error["model"]
    if model is not None and name in model.model_fields:
        for rule in model.model_fields[name].metadata:
            limits |= {word: getattr(rule, word) for word in words if hasattr(rule, word)}
    allowed = " and ".join(f"{words[word]} {limits[word]:g}" for word in words if word in limits)
    return f"{_shown(error['input'])} is out of range; {allowed} is allowed"


def _nearest(name: str, known: Iterable[str]) -> str:
    """The known name that was probably meant, as the beginning of a remedy; nothing where none is near."""
    named = list(known)
    begun = [one for one in named if one.startswith(f"{name}_")]
    found = (begun if len(begun) == 1 else []) or get_close_matches(name, named, n=1, cutoff=0.7)
    return f"perhaps {found[0]}; " if found else ""


def _unknown(error: dict[str, Any]) -> str:
    name, model = str(error["loc"][-1]), error["model"]
    known = list(model.model_fields) if model is not None else []
    remedy = f"{_nearest(name, known)}known: {', '.join(known)}" if known else "remove it or correct its name"
    return f"'{name}' is not known here (value {_shown(error['input'])}); {remedy}"


def _unknown_kind(error: dict[str, Any]) -> str:
    name = str(error["ctx"]["tag"])
    return f"kind '{name}' is not known; {_nearest(name, KINDS)}allowed: {', '.join(KINDS)}"


_PROBLEMS: dict[str, Callable[[dict[str, Any]], str]] = {
    "missing": lambda e: "is missing; add it",
    "extra_forbidden": _unknown,
    "literal_error": lambda e: f"{_shown(e['input'])} is not allowed; allowed: {e['ctx']['expected']}",
    "union_tag_invalid": _unknown_kind,
    "union_tag_not_found": lambda e: f"has no kind; allowed: {', '.join(KINDS)}",
    "greater_than_equal": _number_range,
    "less_than_equal": _number_range,
    "greater_than": _number_range,
    "finite_number": lambda e: f"{_shown(e['input'])} is no number; give a finite number",
    "too_long": lambda e: f"has {e['ctx']['actual_length']} entries; at most {e['ctx']['max_length']} are allowed",
    "too_short": lambda e: f"has {e['ctx']['actual_length']} entries; at least {e['ctx']['min_length']} needed",
    "string_too_long": lambda e: f"has {len(e['input'])} characters; at most {e['ctx']['max_length']} are allowed",
    "string_too_short": lambda e: "is empty; write something",
    "value_error": lambda e: str(e["ctx"]["error"]),
    "none_required": lambda e: f"{_shown(e['input'])} is not allowed; this version only takes null",
}


def _problem(error: dict[str, Any]) -> str:
    describe = _PROBLEMS.get(error["type"])
    if describe:
        return describe(error)
    wanted = {
        "float_type": "a number",
        "bool_type": "true or false",
        "string_type": "a text",
        "int_type": "a whole number",
        "tuple_type": "a list",
    }
    wanted |= dict.fromkeys(("model_type", "model_attributes_type", "dict_type"), "an object")
    allowed = wanted.get(error["type"], str(error["msg"]).lower())
    return f"{_shown(error['input'])} is not allowed; {allowed} is expected"


def _check_ids(recipe: Recipe) -> None:
    seen: dict[str, str] = {}
    places = [(f"$.buses[{i}]", bus.id) for i, bus in enumerate(recipe.buses)]
    places += [(f"$.groups[{i}]", group.id) for i, group in enumerate(recipe.groups)]
    for place in recipe.walk():
        places.append((place.path, place.stage.id))
        places += [(f"{place.path}.params.branches[{i}]", b.id) for i, b in enumerate(place.stage.branches)]
    places += [(f"$.sections[{i}]", section.id) for i, section in enumerate(recipe.sections)]
    for path, name in places:
        if name in seen:
            raise RecipeError(f"{path}.id", f"'{name}' is taken by {seen[name]}; every id must be unique")
        seen[name] = path


def _check_items(recipe: Recipe) -> None:
    for place in recipe.walk():
        for name, items in place.stage.declared.items.items():
            ids = [getattr(item, "id", None) for item in getattr(place.stage.params, name)]
            for index, item_id in enumerate(ids):
                if item_id is not None and item_id in ids[:index]:
                    raise RecipeError(
                        f"{place.path}.params.{name}[{index}].id",
                        f"'{item_id}' is taken by another {items.title.lower()} of the stage; each needs its own id",
                    )


def _check_stages(recipe: Recipe) -> None:
    for place in recipe.walk():
        if place.stage.branches and place.path.count(".branches[") >= DEEPEST:
            raise RecipeError(place.path, f"a split stands inside {DEEPEST} others; at most {DEEPEST} deep is allowed")
        found = place.stage.declared.check(place.stage.params)
        if found:
            raise RecipeError(f"{place.path}.params{found[0]}", found[1])


def _check_groups(recipe: Recipe) -> None:
    parents = {group.id: group.group for group in recipe.groups}
    for kind, buses in (("buses", recipe.buses), ("groups", recipe.groups)):
        for i, bus in enumerate(buses):
            if bus.group is not None and bus.group not in parents:
                known = ", ".join(parents) or "none yet"
                raise RecipeError(f"$.{kind}[{i}].group", f"there is no group '{bus.group}'; groups: {known}, or null")
    for i, group in enumerate(recipe.groups):
        walked, at = [group.id], group.group
        while at is not None:
            walked.append(at)
            if at == group.id:
                raise RecipeError(f"$.groups[{i}].group", f"the groups go in a circle: {' → '.join(walked)}; cut it")
            at = parents[at] if at not in walked[:-1] else None


def _check_sections(recipe: Recipe) -> None:
    for i, section in enumerate(recipe.sections):
        if section.end_s <= section.start_s:
            raise RecipeError(
                f"$.sections[{i}].end_s",
                f"{section.end_s:g} is not after the start at {section.start_s:g} s; give a later end",
            )
    in_time = sorted(range(len(recipe.sections)), key=lambda i: recipe.sections[i].start_s)
    for before, after in itertools.pairwise(in_time):
        first, second = recipe.sections[before], recipe.sections[after]
        if second.start_s < first.end_s - TOUCHING_S:
            raise RecipeError(
                f"$.sections[{after}].start_s",
                f"{second.start_s:g} s lies in section '{first.id}' (to {first.end_s:g} s); sections must not overlap",
            )


def _check_points(recipe: Recipe) -> None:
    """Points in seconds stand in their order; those that hang on sections lie wherever these are."""
    for i, ride in enumerate(recipe.automation):
        latest = -math.inf
        for j, point in enumerate(ride.points):
            if isinstance(point.at, SectionTime):
                continue
            if point.at < latest:
                raise RecipeError(
                    f"$.automation[{i}].points[{j}].at",
                    f"{point.at:g} s comes after {latest:g} s; put the points in the order of time",
                )
            latest = point.at
