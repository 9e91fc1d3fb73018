"""Gains that follow levels, many at once: what must wait for the sample before waits side by side."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from tin_kettle.core.dsp.dynamics import soften
from tin_kettle.core.dsp.multi_gain import attack_release_rows, compression_rows


@dataclass(frozen=True)
class StaticCurve:
    """What a level asks of a gain, 0 … −range.

    Args:
        falling: asked below the threshold and not above it: the curve is of the level turned over.
        threshold_db, slope, knee_db, range_db: as :func:`tin_kettle.core.dsp.dynamics.compression_db` has them.
    """

    falling: bool
    threshold_db: float
    slope: float
    knee_db: float
    range_db: float

    @property
    def way(self) -> float:
        """What levels are multiplied by."""
        return -1.0 if self.falling else 1.0

    @property
    def curve(self) -> tuple[float, float, float, float]:
        """For the kernel."""
        return self.way * self.threshold_db, self.slope, self.knee_db, self.range_db

    def of(self, level_db: NDArray[np.float64]) -> NDArray[np.float64]:
        """Of steady levels, (points,) dB."""
        out = np.empty((1, level_db.size))
        compression_rows(level_db[None], np.array([self.way]), np.array([self.curve]), out)
        return np.asarray(out[0])


@dataclass(frozen=True)
class Follower:
    """How one gain follows a level; ``attack`` is the share of the level's rise, ``release`` of its fall."""

    asking: StaticCurve
    attack: float
    release: float

    @property
    def shares(self) -> tuple[float, float]:
        """Of the way to more and to less work: what is asked below a threshold deepens while the level falls."""
        return (self.release, self.attack) if self.asking.falling else (self.attack, self.release)


class GainFollowers:
    """Followers that move together; their states stay with whoever owns them, as in ``silence``.

    Args:
        followers: by a name and a side; sides of a name that moves as one are its side 0.
        edge: weights of :func:`tin_kettle.core.dsp.dynamics.soften`.
    """

    def __init__(self, followers: Mapping[tuple[str, int], Follower], edge: NDArray[np.float64]) -> None:
        self._edge = edge
        self._rows = {key: row for row, key in enumerate(followers)}
        self._ways = np.array([one.asking.way for one in followers.values()])
        self._curves = np.array([one.asking.curve for one in followers.values()]).reshape(-1, 4)
        self._shares = np.array([one.shares for one in followers.values()]).reshape(-1, 2)
        self.silence = {"moves": np.zeros(len(followers)), "edges": np.zeros((len(followers), len(edge) - 1))}

    def move(
        self, levels_db: NDArray[np.float64], moves_db: NDArray[np.float64], state: Mapping[str, NDArray[np.generic]]
    ) -> None:
        """0 … −range into the first rows of ``moves_db`` from the first of ``levels_db``; nought into the others.

        Args:
            levels_db, moves_db: (at least as many as followers, frames).
            state: written to.
        """
        rows = len(self._rows)
        moves_db[rows:] = 0.0
        if rows:
            moved = moves_db[:rows]
            compression_rows(levels_db, self._ways, self._curves, moved)
            attack_release_rows(moved, self._shares, state["moves"])  # type: ignore[arg-type]
            soften(moved, self._edge, state["edges"])  # type: ignore[arg-type]

    def adopt(
        self,
        state: Mapping[str, NDArray[np.generic]],
        other: GainFollowers,
        theirs: Mapping[str, NDArray[np.generic]],
    ) -> None:
        """Go on from where the others of the same name were."""
        for (name, side), row in self._rows.items():
            found = other._rows.get((name, side), other._rows.get((name, 0)))
            for what in ("moves", "edges"):
                state[what][row] = 0.0 if found is None else theirs[what][found]
