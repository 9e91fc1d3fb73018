"""Filter: a high-pass and a low-pass, Butterworth, with a bump at the corner on request."""

from __future__ import annotations

from typing import Literal

import numpy as np
from numpy.typing import NDArray

from tin_kettle.core.dsp.block import Block
from tin_kettle.core.dsp.pass_filters import Sections, high_pass, low_pass
from tin_kettle.core.dsp.svf import FADED, FORGOTTEN, ring_s, svf_cascade, svf_response
from tin_kettle.core.stages.declarations import Kind, Params, Picture, choice, number, switch
from tin_kettle.core.stages.number_text import db, hz
from tin_kettle.core.stages.processor import Processor

Slope = Literal[6, 12, 18, 24, 36, 48, 72, 96]
PICTURE_HZ = np.geomspace(8.0, 24000.0, 400)
BUMP_HZ = np.geomspace(8.0, 24000.0, 4000)
LEAST_BUMP_DB = 0.1
HIGHEST_SHARE = 0.49
"""Corners above this share of the rate are past what it can carry."""
MOST_SECTIONS = 10


class FilterParams(Params):
    high_pass_on: bool = switch(False, label="High-pass", says="Cuts below the corner frequency.")
    high_pass_hz: float = number(
        30,
        10,
        2000,
        label="High-pass frequency",
        unit="Hz",
        scale="log",
        ticks=(10, 20, 30, 50, 100, 200, 500, 1000, 2000),
        says="Sets the corner: the level is 3 dB down here.",
    )
    high_pass_slope: Slope = choice(24, label="High-pass slope", unit="dB/oct", says="Sets the slope of the high-pass.")
    high_pass_resonance_db: float = number(
        0,
        0,
        18,
        label="High-pass resonance",
        unit="dB",
        ticks=(0, 3, 6, 12, 18),
        says="Boosts just above the high-pass corner.",
    )
    low_pass_on: bool = switch(False, label="Low-pass", says="Cuts above the corner frequency.")
    low_pass_hz: float = number(
        16000,
        200,
        22000,
        label="Low-pass frequency",
        unit="Hz",
        scale="log",
        ticks=(200, 500, 1000, 2000, 5000, 10000, 22000),
        says="Sets the corner: the level is 3 dB down here.",
    )
    low_pass_slope: Slope = choice(24, label="Low-pass slope", unit="dB/oct", says="Sets the slope of the low-pass.")
    low_pass_resonance_db: float = number(
        0,
        0,
        18,
        label="Low-pass resonance",
        unit="dB",
        ticks=(0, 3, 6, 12, 18),
        says="Boosts just below the low-pass corner.",
    )


def _high(params: FilterParams, rate_hz: float) -> Sections | None:
    if not params.high_pass_on:
        return None
    return high_pass(params.high_pass_hz, params.high_pass_slope, params.high_pass_resonance_db, rate_hz)


def _low(params: FilterParams, rate_hz: float) -> Sections | None:
    if not params.low_pass_on or params.low_pass_hz >= HIGHEST_SHARE * rate_hz:
        return None
    return low_pass(params.low_pass_hz, params.low_pass_slope, params.low_pass_resonance_db, rate_hz)


class Filter(Processor):
    """Both passes in series; each keeps its state when only its corner or slope moves."""

    def __init__(self, params: FilterParams, rate_hz: float) -> None:
        super().__init__()
        made = {"high": _high(params, rate_hz), "low": _low(params, rate_hz)}
        self._passes = {name: sections for name, sections in made.items() if sections is not None}
        self.state = {name: np.zeros((MOST_SECTIONS, 2, 2)) for name in self._passes}
        ringing_s = max((ring_s(sections, rate_hz) for sections in self._passes.values()), default=0.0)
        self.tail_s, self.memory_s = FADED * ringing_s, FORGOTTEN * ringing_s

    def process(self, block: Block) -> Block:
        out = block.copy()
        for name, sections in self._passes.items():
            svf_cascade(out, sections, self.f64(name))
        return out


def response(params: FilterParams, hz: NDArray[np.float64], rate_hz: float) -> NDArray[np.complex128]:
    """Complex response of the setting at the given frequencies."""
    made = [s for s in (_high(params, rate_hz), _low(params, rate_hz)) if s is not None]
    return svf_response(np.concatenate([np.zeros((0, 5)), *made]), hz, rate_hz)


def _both_sides(params: FilterParams, hz: NDArray[np.float64], rate_hz: float) -> NDArray[np.complex128]:
    return np.asarray(np.einsum("ij,p->ijp", np.eye(2), response(params, hz, rate_hz)))


def bumps(params: FilterParams, rate_hz: float) -> list[tuple[float, float]]:
    """(Hz, dB) of every top that a resonance makes: what it lifts most, and by how much."""
    at_hz = BUMP_HZ[rate_hz * HIGHEST_SHARE > BUMP_HZ]
    curve_db = 20.0 * np.log10(np.maximum(np.abs(response(params, at_hz, rate_hz)), 1e-10))
    middle = curve_db[1:-1]
    tops = (middle > curve_db[:-2]) & (middle >= curve_db[2:]) & (middle > LEAST_BUMP_DB)
    return [(float(at_hz[i]), float(curve_db[i])) for i in np.flatnonzero(tops) + 1]


def _picture(params: FilterParams, rate_hz: float) -> Picture:
    at_hz = PICTURE_HZ[rate_hz * HIGHEST_SHARE > PICTURE_HZ]
    magnitude = np.abs(response(params, at_hz, rate_hz))
    curve_db = 20.0 * np.log10(np.maximum(magnitude, 1e-10))
    tops = bumps(params, rate_hz)
    return {
        "hz": at_hz.round(3).tolist(),
        "db": curve_db.round(4).tolist(),
        "bump_hz": [round(hz, 2) for hz, _ in tops],
        "bump_db": [round(db, 2) for _, db in tops],
    }


def _summary(params: FilterParams) -> str:
    parts = []
    if params.high_pass_on:
        bump = f", {db(params.high_pass_resonance_db)} bump" if params.high_pass_resonance_db else ""
        parts.append(f"low cut {hz(params.high_pass_hz)} · {params.high_pass_slope} dB/oct{bump}")
    if params.low_pass_on:
        bump = f", {db(params.low_pass_resonance_db)} bump" if params.low_pass_resonance_db else ""
        parts.append(f"high cut {hz(params.low_pass_hz)} · {params.low_pass_slope} dB/oct{bump}")
    return " · ".join(parts) or "both passes off"


KIND = Kind(
    name="filter",
    title="Filters",
    says="Removes rumble and ultrasonic content that cost headroom.",
    sought=("low cut", "high cut", "high-pass", "low-pass", "sub", "rumble", "infra", "hiss"),
    params=FilterParams,
    build=Filter,
    picture=_picture,
    summary=_summary,
    response=_both_sides,
    hz_params=lambda p: [("high_pass_hz", p.high_pass_hz)] if p.high_pass_on else [],
    columns=(
        ("High-pass", ("high_pass_on", "high_pass_hz", "high_pass_slope", "high_pass_resonance_db")),
        ("Low-pass", ("low_pass_on", "low_pass_hz", "low_pass_slope", "low_pass_resonance_db")),
        ("Output", ("mix",)),
    ),
    active_when={
        **{
            f"{side}_{name}": (f"{side}_on", True)
            for side in ("high_pass", "low_pass")
            for name in ("hz", "slope", "resonance_db")
        }
    },
)
