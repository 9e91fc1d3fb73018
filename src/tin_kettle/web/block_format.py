"""Blocks as they go over the live socket."""

from __future__ import annotations

import struct
from typing import Any

import numpy as np
import orjson
from numpy.typing import NDArray

from tin_kettle.core.engine.live.checkpoint import Played

MAGIC = b"TKLV"
VERSION = 2
HEADER = struct.Struct("<4sHHIIIIdd")


def pack(played: Played, load: float, work: float) -> bytes:
    """A block, little-endian: *now* and the *other* it is compared with, and what was measured of them.

    Args:
        load: share of the clock that rendering takes; ``work`` is that of the processor.

    Header: magic ``TKLV``, version u16, planes u16, frames u32, epoch u32, revision u32, values u32, stream position
    f64, song position f64. Then float32 planes (now left, now right, other left, other right), ``values`` float32 of
    the meters' arrays one after the other, and the meters by name as JSON, where ``{"row": [first, shape …]}`` is one.
    """
    planes = np.concatenate([played.now, played.other]).astype("<f4")
    arrays: list[NDArray[np.float32]] = []
    told = _named(
        {**played.meters, "other_name": played.other_name, "load": round(load, 3), "work": round(work, 3)}, arrays
    )
    values = np.concatenate(arrays) if arrays else np.empty(0, dtype="<f4")
    header = HEADER.pack(
        MAGIC,
        VERSION,
        planes.shape[0],
        planes.shape[1],
        played.epoch,
        played.revision,
        values.size,
        float(played.position),
        float(played.song),
    )
    return header + planes.tobytes() + values.tobytes() + orjson.dumps(told, option=orjson.OPT_SERIALIZE_NUMPY)


def _named(value: Any, arrays: list[NDArray[np.float32]]) -> Any:
    """Plain values, in which every array stands for its place among ``arrays``."""
    if isinstance(value, dict):
        return {name: _named(inner, arrays) for name, inner in value.items()}
    if not isinstance(value, np.ndarray):
        return value
    first = sum(array.size for array in arrays)
    arrays.append(value.astype("<f4").ravel())
    return {"row": [first, *value.shape]}
