"""The stages, one file each. Adding one touches its file, this list, its picture in the front end and its tests."""

from __future__ import annotations

from tin_kettle.core.stages import compressor, filter, limiter, trim
from tin_kettle.core.stages.declare import Kind

KINDS: dict[str, Kind] = {kind.name: kind for kind in (trim.KIND, filter.KIND, compressor.KIND, limiter.KIND)}
"""Every kind of stage by its name, in the order in which they are offered."""
