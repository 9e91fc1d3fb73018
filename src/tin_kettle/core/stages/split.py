"""Split: the sound divided into branches, each with a chain of its own, and summed again."""

from __future__ import annotations

from typing import Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from tin_kettle.core.dsp.block import Block
from tin_kettle.core.dsp.crossover import Bands, band_responses
from tin_kettle.core.stages.crossover_params import Corner, corners_problem, crossovers
from tin_kettle.core.stages.declarations import Kind, Params, Picture, choice
from tin_kettle.core.stages.divider import Divider
from tin_kettle.core.stages.filter import PICTURE_HZ
from tin_kettle.core.stages.hits_tonal_rest import HitsTonalRest, Resolution
from tin_kettle.core.stages.number_text import hz
from tin_kettle.core.stages.stage import Branch

By = Literal["bands", "copies", "mid_side", "left_right", "percussive"]
PARTS: dict[By, tuple[int, int]] = {
    "bands": (2, 5),
    "copies": (1, 8),
    "mid_side": (2, 2),
    "left_right": (2, 2),
    "percussive": (3, 3),
}
"""How many branches each way of dividing may have, at least and at most."""
_BANDS = {
    2: ("Low", "High"),
    3: ("Low", "Middle", "High"),
    4: ("Low", "Low middle", "High middle", "High"),
    5: ("Low", "Low middle", "Middle", "High middle", "High"),
}
_COPIES = {count: tuple(f"Copy {number}" for number in range(1, count + 1)) for count in range(1, 9)}
NAMES: dict[By, dict[int, tuple[str, ...]]] = {
    "bands": _BANDS,
    "copies": _COPIES,
    "mid_side": {2: ("Mid", "Side")},
    "left_right": {2: ("Left", "Right")},
    "percussive": {3: ("Hits", "Tonal", "Rest")},
}
"""What branches are called, by how many there are, until somebody names them."""
DEEPEST = 4
"""How many splits may stand inside one another."""


class SplitParams(Params):
    by: By = choice(
        "copies",
        label="Split by",
        says="Bands split by frequency. Copies give every branch the full signal. Mid/side and left/right give each "
        "channel a branch. Percussive separates hits, tones and the rest.",
        delays=True,
    )
    resolution_ms: Resolution = choice(
        43,
        label="Resolution",
        unit="ms",
        says="Sets the frame length of the separation: longer resolves tones better, shorter keeps hits sharper. The "
        "latency is three frames.",
        delays=True,
    )
    crossovers_hz: tuple[Corner, ...] = crossovers("Where one band ends and the next begins, 24 dB/oct, in phase.")
    branches: tuple[Branch, ...] = Field(
        min_length=1,
        max_length=8,
        strict=False,
        json_schema_extra={
            "label": "Branches",
            "says": "The branches, each a chain with its own level: low to high; mid, side; left, right; hits, tonal, "
            "rest; or copies.",
        },
    )


class PlainDivider(Divider):
    """Divides at once: by frequency, by place, or by plain copies."""

    def __init__(self, params: SplitParams, rate_hz: float) -> None:
        super().__init__()
        self._by, self._count = params.by, len(params.branches)
        if self._by == "bands":
            self._bands = Bands(params.crossovers_hz, rate_hz)
            self.state = {**self._bands.silence}

    def divide(self, block: Block) -> list[Block]:
        if self._by == "bands":
            return self._bands.process(block, self.state)  # type: ignore[arg-type]
        if self._by == "copies":
            return [block] * self._count
        if self._by == "left_right":
            nothing = np.zeros_like(block[0])
            return [np.stack([block[0], nothing]), np.stack([nothing, block[1]])]
        mid, side = 0.5 * (block[0] + block[1]), 0.5 * (block[0] - block[1])
        return [np.stack([mid, mid]), np.stack([side, -side])]


def _divider(params: SplitParams, rate_hz: float) -> Divider:
    if params.by == "percussive":
        return HitsTonalRest(params.resolution_ms, rate_hz)
    return PlainDivider(params, rate_hz)


def _crossovers_hz(params: SplitParams) -> tuple[float, ...]:
    return params.crossovers_hz if params.by == "bands" else ()


def _check(params: SplitParams) -> tuple[str, str] | None:
    least, most = PARTS[params.by]
    count = len(params.branches)
    if not least <= count <= most:
        allowed = f"{least}" if least == most else f"{least} to {most}"
        return ".branches", f"has {count} branches; a split by {params.by} has {allowed}"
    wanted = count - 1 if params.by == "bands" else 0
    return corners_problem(params.crossovers_hz, wanted, f"{count} branches by {params.by}")


def band_curves_db(corners_hz: tuple[float, ...], at_hz: NDArray[np.float64], rate_hz: float) -> NDArray[np.float64]:
    """Level of every band, (corners + 1, points) dB."""
    responses = band_responses(corners_hz, at_hz, rate_hz)
    return np.asarray(20.0 * np.log10(np.maximum(np.abs(responses), 1e-6)))


def _picture(params: SplitParams, rate_hz: float) -> Picture:
    at_hz = PICTURE_HZ[rate_hz * 0.49 > PICTURE_HZ]
    curves = band_curves_db(_crossovers_hz(params), at_hz, rate_hz)
    return {
        "hz": at_hz.round(3).tolist(),
        "bands": curves.round(3).tolist() if params.by == "bands" else [],
    }


_WORDS: dict[By, str] = {
    "bands": "bands at",
    "copies": "copies",
    "mid_side": "mid and side",
    "left_right": "left and right",
    "percussive": "hits, tonal and rest",
}


def _summary(params: SplitParams) -> str:
    words = _WORDS[params.by]
    if params.by == "bands":
        return f"{len(params.branches)} {words} {', '.join(hz(corner) for corner in params.crossovers_hz)}"
    return f"{len(params.branches)} {words}" if params.by == "copies" else words


KIND = Kind(
    name="split",
    title="Split",
    says="Splits the signal into branches with their own chains: bands, copies, mid/side, left/right, hits and tones.",
    sought=(
        "parallel",
        "ny compression",
        "new york",
        "bands",
        "multiband",
        "left right",
        "branches",
        "percussive",
        "hits",
        "tonal",
        "mid-side",
    ),
    params=SplitParams,
    build=_divider,
    picture=_picture,
    summary=_summary,
    hz_params=lambda p: [(f"crossovers_hz[{i}]", corner) for i, corner in enumerate(_crossovers_hz(p))],
    crossovers_hz=_crossovers_hz,
    check=_check,
)
