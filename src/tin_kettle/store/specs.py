"""Delivery specs: the shipped ones, and the user's own as files of the library."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Iterator
from dataclasses import dataclass
from importlib.resources import files
from typing import Any

from tin_kettle.core.atomic_files import written_beside
from tin_kettle.core.deliver.spec import Spec, parse_spec
from tin_kettle.core.errors import LibraryError, SpecError
from tin_kettle.store.database import Library


@dataclass(frozen=True)
class StoredSpec:
    """A spec, and whether the user kept it."""

    spec: Spec
    own: bool


def _shipped() -> Iterator[Spec]:
    folder = files("tin_kettle.core.deliver").joinpath("shipped")
    for entry in sorted(folder.iterdir(), key=lambda entry: entry.name):
        yield parse_spec(json.loads(entry.read_text(encoding="utf-8")))


def list_specs(library: Library) -> list[StoredSpec]:
    """The user's own take the place of shipped ones of the same name; files that are no specs are passed over."""
    own = {}
    for path in sorted(library.folder("specs").glob("*.json")):
        try:
            spec = parse_spec(json.loads(path.read_text(encoding="utf-8")))
        except (SpecError, ValueError, OSError):
            continue
        own[spec.name] = spec
    shipped = [StoredSpec(spec, False) for spec in _shipped() if spec.name not in own]
    return shipped + [StoredSpec(spec, True) for spec in own.values()]


def get_spec(library: Library, name: str) -> Spec:
    """The spec of that name.

    Raises:
        LibraryError: there is none.
    """
    for kept in list_specs(library):
        if kept.spec.name == name:
            return kept.spec
    raise LibraryError(f"there is no spec '{name}'; choose one from the list")


def keep_spec(library: Library, document: Any) -> Spec:
    """Keep a spec under its own name, in place of the one that was called so.

    Raises:
        SpecError: it is refused.
    """
    spec = parse_spec(document)
    with written_beside(_path(library, spec.name)) as beside:
        beside.write_text(json.dumps(spec.model_dump(mode="json"), indent=2, ensure_ascii=False), encoding="utf-8")
    return spec


def remove_spec(library: Library, name: str) -> None:
    """Forget one of the user's own; a shipped one of its name is there again."""
    _path(library, name).unlink(missing_ok=True)


def _path(library: Library, name: str) -> Any:
    # names are the user's, and never paths
    return library.folder("specs") / f"{hashlib.sha256(name.encode()).hexdigest()[:24]}.json"
