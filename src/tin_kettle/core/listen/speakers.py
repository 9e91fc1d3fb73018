"""Other places to listen in: small simulations, a few sections each, perhaps one speaker and a weak amplifier.

They stand for kinds of places and measure no particular one: what a small speaker leaves out, what a car adds, what
happens where two speakers play the same. Levels are kept near those of the studio.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from tin_kettle.core.dsp import equalizer_filters
from tin_kettle.core.dsp.pass_filters import high_pass, low_pass
from tin_kettle.core.dsp.svf import Sections, svf_response
from tin_kettle.core.listen.listening_settings import PlaceName

STREAMING_LUFS = -14.0
"""A common level that services turn louder songs down to."""


@dataclass(frozen=True)
class Speaker:
    """A place: its name, a sentence, whether it has one speaker, and where its amplifier gives up (dBFS)."""

    name: PlaceName
    title: str
    says: str
    mono: bool = False
    gives_up_db: float | None = None


PLACES: dict[PlaceName, Speaker] = {
    place.name: place
    for place in (
        Speaker("studio", "Studio", "As it is."),
        Speaker("phone", "Phone", "One small speaker: nothing below 400 Hz, a bite near 3 kHz.", True, -6.0),
        Speaker("laptop", "Laptop", "Two small speakers close together: little below 180 Hz, boxy above."),
        Speaker("radio", "Kitchen radio", "One speaker in a box: thick near 250 Hz, dull above 7 kHz.", True),
        Speaker("car", "Car", "A small room with a strong low end and soft highs."),
        Speaker("club", "Club", "A large system in mono: what is only wide is gone, lows are up.", True),
        Speaker(
            "converter",
            "Cheap converter",
            "Clips what peaks above full scale between the samples: BS.1770's true peak tells.",
        ),
        Speaker(
            "streaming",
            "Streaming service",
            f"Turns a song louder than −{-STREAMING_LUFS:g} LUFS, by ITU-R BS.1770 over all of it, down to that; "
            "softer ones stay, and nothing is limited.",
        ),
    )
}


def turn_down_db(lufs: float | None) -> float:
    """What a streaming service takes off a song of this loudness, at most 0 dB; nothing while it is not known."""
    return 0.0 if lufs is None else min(0.0, STREAMING_LUFS - lufs)


def place_sections(name: PlaceName, rate_hz: float) -> Sections:
    """The place's curve as (sections, 5) for :func:`svf_cascade`."""

    def top(hz: float) -> float:
        return min(hz, 0.45 * rate_hz)

    made: dict[PlaceName, Callable[[], list[Sections]]] = {
        "phone": lambda: [
            high_pass(400.0, 24, 0.0, rate_hz),
            equalizer_filters.bell(top(3000.0), 1.0, 5.0, rate_hz),
            low_pass(top(11000.0), 12, 0.0, rate_hz),
        ],
        "laptop": lambda: [
            high_pass(180.0, 24, 0.0, rate_hz),
            equalizer_filters.bell(900.0, 0.9, 3.0, rate_hz),
            low_pass(top(15000.0), 12, 0.0, rate_hz),
        ],
        "radio": lambda: [
            high_pass(110.0, 12, 0.0, rate_hz),
            equalizer_filters.bell(250.0, 1.2, 4.0, rate_hz),
            low_pass(top(7000.0), 12, 0.0, rate_hz),
        ],
        "car": lambda: [
            equalizer_filters.low_shelf(90.0, 0.8, 6.0, rate_hz),
            equalizer_filters.bell(300.0, 1.0, -2.5, rate_hz),
            equalizer_filters.high_shelf(top(6000.0), 0.7, -3.0, rate_hz),
        ],
        "club": lambda: [
            high_pass(28.0, 24, 0.0, rate_hz),
            equalizer_filters.low_shelf(80.0, 0.9, 6.0, rate_hz),
            equalizer_filters.high_shelf(top(8000.0), 0.7, -2.0, rate_hz),
        ],
    }
    return np.concatenate([np.zeros((0, 5)), *made.get(name, list)()])


def place_curve_db(name: PlaceName, at_hz: NDArray[np.float64], rate_hz: float) -> NDArray[np.float64]:
    """Level of the place's curve, (points,) dB."""
    response = np.abs(svf_response(place_sections(name, rate_hz), at_hz, rate_hz))
    return np.asarray(20.0 * np.log10(np.maximum(response, 1e-6)))
