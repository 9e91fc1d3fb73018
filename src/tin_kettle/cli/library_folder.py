"""Where a library lies unless somebody says otherwise."""

from __future__ import annotations

from pathlib import Path

import platformdirs


def own_home() -> Path:
    """The user's own library."""
    return platformdirs.user_data_path("tin-kettle") / "library"


def demo_home() -> Path:
    """The library with the demo release."""
    return platformdirs.user_data_path("tin-kettle") / "demo"
