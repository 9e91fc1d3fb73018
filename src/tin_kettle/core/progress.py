"""How long work reports how far it is."""

from __future__ import annotations

from collections.abc import Callable

Progress = Callable[[float], None]
"""Called with the share done, 0–1; it may raise :class:`Cancelled` to stop the work."""
