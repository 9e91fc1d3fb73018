"""How loud a passage is to the ear, as it is and at one loudness in LUFS, and how two of them differ."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

import numpy as np

from tin_kettle.core.engine.offline import song_rate
from tin_kettle.core.engine.parallel import CORES
from tin_kettle.core.engine.passage import Passage
from tin_kettle.core.engine.source import Source
from tin_kettle.core.measure.critical_bands import BARK
from tin_kettle.core.measure.loudness import LoudnessMeter, integrated_lufs, stereo_energy
from tin_kettle.core.measure.sones import SoneMeter
from tin_kettle.core.progress import Progress
from tin_kettle.core.recipe.model import Recipe
from tin_kettle.core.stages.number_text import hz

EQUAL_LUFS = -20.0
"""At this both are held against each other; it comes to some 83 dB at the ear."""
ALIKE = 0.02
"""A smaller share of loudness is not told apart."""
_AROUND = 5


def perceive(
    recipe: Recipe, sources: Mapping[str, Source], start: int, end: int, progress: Progress | None = None
) -> dict[str, Any]:
    """Measure a passage, in song frames: ``lufs``, ``own`` and ``equal``, each as :class:`Perceived` documents it.

    ``equal`` is at −20 LUFS; it is ``own`` where the passage is silent.
    """
    rate_hz = song_rate(recipe, sources)
    sones, meter, done = SoneMeter(rate_hz), LoudnessMeter(rate_hz), 0
    for block in Passage(recipe, sources, start, end).blocks(threads=CORES):
        sones.feed(block)
        meter.feed(block)
        done += block.shape[1]
        if progress:
            progress(0.9 * done / max(end - start, 1))
    lufs = integrated_lufs(stereo_energy(meter.slots()))
    own = sones.perceived()
    equal = own if lufs is None else sones.perceived(EQUAL_LUFS - lufs)
    return {"lufs": None if lufs is None else round(lufs, 2), "own": own.document(), "equal": equal.document()}


def difference_words(before: dict[str, Any], after: dict[str, Any]) -> str:
    """What the ear gets more of at one loudness in LUFS, and where, from two of :func:`perceive`."""
    was, now = before["equal"]["n5_sone"], after["equal"]["n5_sone"]
    if not was or not now:
        return "one of the two is silent"
    loudest, mean = _turn(now / was), _turn(after["equal"]["mean_sone"] / max(before["equal"]["mean_sone"], 0.01))
    words = f"perceived, at equal LUFS: {loudest} at its loudest ({was:.1f} to {now:.1f} sone), {mean} on average"
    change = np.array(after["equal"]["specific"]) - np.array(before["equal"]["specific"])
    smooth = np.convolve(change, np.ones(2 * _AROUND + 1) / (2 * _AROUND + 1), mode="same")
    places = []
    for sign, turn in ((1.0, "more"), (-1.0, "less")):
        at = int(np.argmax(sign * smooth))
        if sign * smooth[at] * 24.0 > ALIKE * was:
            places.append(f"{turn} around {hz(float(f'{bark_hz(BARK * (at + 1)):.2g}'))}")
    return f"{words}; {', '.join(places)}" if places else words


def _turn(ratio: float) -> str:
    if abs(ratio - 1.0) < ALIKE:
        return "as loud"
    return f"{abs(ratio - 1.0):.0%} {'louder' if ratio > 1.0 else 'less loud'}"


def bark_hz(bark: float) -> float:
    """Frequency of a critical-band rate.

    Traunmüller 1990, *Analytical expressions for the tonotopic sensory scale*.
    """
    return 1960.0 * (bark + 0.53) / (26.28 - bark)
