"""The stages, one file each. Adding one touches its file, this list, its picture in the front end and its tests."""

from __future__ import annotations

from tin_kettle.core.stages import (
    band_dynamics,
    clipper,
    compressor,
    dynamic_equalizer,
    equalizer,
    filter,
    leveller,
    limiter,
    room,
    saturator,
    split,
    stereo,
    tamer,
    transients,
    trim,
)
from tin_kettle.core.stages.declarations import Kind

_LISTED = (
    trim,
    filter,
    equalizer,
    dynamic_equalizer,
    compressor,
    band_dynamics,
    tamer,
    leveller,
    transients,
    saturator,
    clipper,
    room,
    stereo,
    limiter,
    split,
)
KINDS: dict[str, Kind] = {stage.KIND.name: stage.KIND for stage in _LISTED}
"""Every kind of stage by its name, in the order in which they are offered."""
