"""The one family of errors. Each says what was wrong, what is allowed and what would do.

KettleError
├── RecipeError    a recipe, or a value in it, is refused; names the JSON path
├── SpecError      the same of a delivery spec
├── RecordError    the same of a record
├── JobsError      the same of a file of jobs
├── PageError      the same of a listening page
├── AudioError     a file cannot be used as a source, or a print cannot be written
├── LibraryError   the library holds no such thing, or cannot be used
│   ├── Conflict   the song was changed elsewhere in the meantime
│   └── DamagedRecipe  a state of a song that is kept cannot be read any more
├── StorageError   the disk or the database fails; nothing is wrong with what was asked
└── Cancelled      the user stopped a long piece of work
"""

from __future__ import annotations

LONGEST = 300
"""Characters of a message."""


class KettleError(Exception):
    """A refusal worded for the user: one line that says what, where and what would do.

    It goes to sockets and terminals: what was given may be long, or no text that could be written at all.
    """

    def __init__(self, text: str) -> None:
        plain = text.encode("utf-8", "replace").decode()
        super().__init__(plain if len(plain) <= LONGEST else f"{plain[: LONGEST - 80]} … {plain[-77:]}")


class _DocumentError(KettleError):
    """A document is refused.

    Args:
        path: JSON path of the offending part, such as ``$.master[0].params.ratio``.
        problem: the value received and what is allowed.
    """

    def __init__(self, path: str, problem: str) -> None:
        self.path = path
        super().__init__(f"{path}: {problem}")


class RecipeError(_DocumentError):
    """A recipe is refused."""


class SpecError(_DocumentError):
    """A delivery spec is refused."""


class RecordError(_DocumentError):
    """A record is refused."""


class JobsError(_DocumentError):
    """A file of jobs is refused."""


class PageError(_DocumentError):
    """A listening page is refused."""


class AudioError(KettleError):
    """A sound file is refused or cannot be written."""


class LibraryError(KettleError):
    """The library has no such song, revision or print."""


class Conflict(LibraryError):
    """An edit was made on a state that is no longer the present one."""


class DamagedRecipe(LibraryError):
    """A state of a song that is kept cannot be read any more."""


class StorageError(KettleError):
    """The disk is full, read-only or gone, or the database is busy or damaged. Asked again later, it may do."""


class Cancelled(KettleError):
    """Work was stopped on request; nothing half-done is left behind."""
