"""Files of the library on their way out."""

from __future__ import annotations

from pathlib import Path

from flask import Response, send_file

from tin_kettle.core.digest import sha256_of
from tin_kettle.core.errors import LibraryError


def send_kept(path: Path, name: str, remedy: str, sha256: str | None = None) -> Response:
    """Send a file of the library under the name that the user knows.

    Args:
        remedy: how another one is had.
        sha256: what it was when it was written; nothing where that is not known.

    Raises:
        LibraryError: it was deleted, or changed since it was written.
    """
    try:
        if sha256 is not None and sha256_of(path) != sha256:
            raise LibraryError(f"{name} was changed on the disk after it was written; {remedy}")
        return send_file(path, as_attachment=True, download_name=name)
    except FileNotFoundError:
        raise LibraryError(f"{name} was deleted from the disk; {remedy}") from None
