"""Numbers as they are given on the command line."""

from __future__ import annotations

import math
from typing import Any

import click


class Seconds(click.FloatRange):
    """A time from 0 on."""

    def __init__(self, longest: float | None = None) -> None:
        super().__init__(0, longest)

    def convert(self, value: Any, param: click.Parameter | None, ctx: click.Context | None) -> Any:
        seconds = super().convert(value, param, ctx)
        if not math.isfinite(seconds):
            self.fail(f"{value} is no time; give seconds, such as 12.5", param, ctx)
        return seconds


class Tail(Seconds):
    """Seconds, ``none``, or ``auto`` for as long as the recipe rings on."""

    name = "tail"

    def convert(self, value: Any, param: click.Parameter | None, ctx: click.Context | None) -> Any:
        return value if value in ("auto", "none") else super().convert(value, param, ctx)
