"""Stereo: width as a whole and by range, mono below a corner, the image turned."""

from __future__ import annotations

from typing import Annotated, Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from tin_kettle.core.dsp.block import Block
from tin_kettle.core.dsp.crossover import Bands, band_responses
from tin_kettle.core.dsp.pass_filters import high_pass
from tin_kettle.core.dsp.summing import summed
from tin_kettle.core.dsp.svf import FORGOTTEN, ring_s, svf_cascade, svf_response
from tin_kettle.core.stages.crossover_params import Corner, corners_problem, crossovers
from tin_kettle.core.stages.declarations import Kind, Params, Picture, choice, number
from tin_kettle.core.stages.filter import PICTURE_HZ
from tin_kettle.core.stages.number_text import hz
from tin_kettle.core.stages.processor import Processor

Width = Annotated[float, Field(ge=0, le=2)]
SILENT = 1e-6


class StereoParams(Params):
    width: float = number(
        1,
        0,
        2,
        label="Width",
        ticks=(0, 0.5, 1, 1.5, 2),
        says="Scales the side level: 0 % is mono, 100 % is unchanged, 200 % is twice the side.",
        follows=True,
    )
    mono_below_hz: float = number(
        0,
        0,
        500,
        label="Mono below",
        unit="Hz",
        ticks=(0, 100, 200, 300, 400, 500),
        says="Removes the side below this frequency, so that the lows are mono. At 0 Hz nothing is removed.",
    )
    mono_slope: Literal[6, 12, 24] = choice(
        12, label="Mono slope", unit="dB/oct", says="Sets the slope of the side's high-pass."
    )
    rotation_deg: float = number(
        0,
        -45,
        45,
        label="Rotation",
        unit="°",
        ticks=(-45, -22.5, 0, 22.5, 45),
        says="Rotates the stereo image: positive to the right, negative to the left.",
        follows=True,
    )
    crossovers_hz: tuple[Corner, ...] = crossovers("Where one range ends and the next begins, 24 dB/oct, in phase.")
    widths: tuple[Width, ...] = Field(
        default=(),
        max_length=5,
        strict=False,
        json_schema_extra={
            "label": "Widths",
            "says": "Sets the width of each frequency range, low to high, on top of the overall width.",
        },
    )


class Stereo(Processor):
    """Order: rotation, width by range, width as a whole, mono below."""

    def __init__(self, params: StereoParams, rate_hz: float) -> None:
        super().__init__()
        self._params = params
        self._bands = Bands(params.crossovers_hz, rate_hz) if params.crossovers_hz else None
        self._mono = _mono(params, rate_hz)
        self.memory_s = (0.1 if self._bands else 0.0) + (
            FORGOTTEN * ring_s(self._mono, rate_hz) if len(self._mono) else 0.0
        )
        self.state = {
            "mono": np.zeros((len(self._mono), 2, 2)),
            **(self._bands.silence if self._bands else {}),
        }
        neutral = params.width == 1.0 and params.rotation_deg == 0.0
        self._idle = neutral and not len(self._mono) and all(width == 1.0 for width in params.widths)

    def process(self, block: Block) -> Block:
        p, frames = self._params, block.shape[1]
        turned = "rotation_deg" in self.input_values or p.rotation_deg != 0.0
        if turned:
            angle = np.radians(self.input_values.every("rotation_deg", p.rotation_deg, frames))
            cos, sin = np.cos(angle), np.sin(angle)
            block = np.stack([cos * block[0] - sin * block[1], sin * block[0] + cos * block[1]])
        parts = self._bands.process(block, self.state) if self._bands else [block]  # type: ignore[arg-type]
        if self._idle and not self.input_values:
            return summed(parts)
        width = self.input_values.every("width", p.width, frames)
        mid, side = np.zeros(frames), np.zeros((2, frames))
        for part, own in zip(parts, p.widths or (1.0,), strict=True):
            mid += 0.5 * (part[0] + part[1])
            side[0] += own * 0.5 * (part[0] - part[1])
        side[0] *= width
        svf_cascade(side, self._mono, self.f64("mono"))
        return np.stack([mid + side[0], mid - side[0]])


def _mono(params: StereoParams, rate_hz: float) -> NDArray[np.float64]:
    if not params.mono_below_hz:
        return np.empty((0, 5))
    return high_pass(params.mono_below_hz, params.mono_slope, 0.0, rate_hz)


def _parts(
    params: StereoParams, at_hz: NDArray[np.float64], rate_hz: float
) -> tuple[NDArray[np.complex128], NDArray[np.complex128]]:
    """What becomes of mid and of side, (points,)."""
    bands = band_responses(params.crossovers_hz, at_hz, rate_hz)
    widths = np.array(params.widths or (1.0,))
    side = params.width * (widths[:, None] * bands).sum(axis=0) * svf_response(_mono(params, rate_hz), at_hz, rate_hz)
    return np.asarray(bands.sum(axis=0)), np.asarray(side)


def _response(params: StereoParams, at_hz: NDArray[np.float64], rate_hz: float) -> NDArray[np.complex128]:
    mid, side = _parts(params, at_hz, rate_hz)
    same, other = 0.5 * (mid + side), 0.5 * (mid - side)
    widened = np.array([[same, other], [other, same]])
    angle = np.radians(params.rotation_deg)
    turn = np.array([[np.cos(angle), -np.sin(angle)], [np.sin(angle), np.cos(angle)]])
    return np.asarray(np.einsum("ijp,jk->ikp", widened, turn))


def _check(params: StereoParams) -> tuple[str, str] | None:
    if not params.crossovers_hz and not params.widths:
        return None
    if len(params.widths) < 2:
        return ".widths", f"has {len(params.widths)} widths; ranges have 2 to 5, one more than crossovers, or none"
    return corners_problem(params.crossovers_hz, len(params.widths) - 1, f"{len(params.widths)} widths")


def _picture(params: StereoParams, rate_hz: float) -> Picture:
    at_hz = PICTURE_HZ[rate_hz * 0.49 > PICTURE_HZ]
    _, side = _parts(params, at_hz, rate_hz)
    return {"hz": at_hz.round(3).tolist(), "db": (20.0 * np.log10(np.maximum(np.abs(side), SILENT))).round(3).tolist()}


def _summary(params: StereoParams) -> str:
    parts = [f"width {100 * params.width:.0f} %"] if params.width != 1.0 else []
    if params.widths:
        parts.append("by range " + ", ".join(f"{100 * width:.0f}" for width in params.widths) + " %")
    if params.mono_below_hz:
        parts.append(f"mono below {hz(params.mono_below_hz)}")
    if params.rotation_deg:
        parts.append(f"turned {abs(params.rotation_deg):.3g}° {'right' if params.rotation_deg > 0 else 'left'}")
    return " · ".join(parts) or "as it came"


KIND = Kind(
    name="stereo",
    title="Stereo",
    says="Sets stereo width overall and by range, makes the lows mono, rotates the image.",
    sought=("width", "wide", "mono", "image", "side", "narrow", "bass mono", "rotate", "spread"),
    params=StereoParams,
    build=Stereo,
    picture=_picture,
    summary=_summary,
    hz_params=lambda p: [(f"crossovers_hz[{i}]", corner) for i, corner in enumerate(p.crossovers_hz)],
    response=_response,
    channels=("stereo",),
    crossovers_hz=lambda p: p.crossovers_hz,
    check=_check,
    columns=(
        ("Width", ("width", "rotation_deg")),
        ("Lows", ("mono_below_hz", "mono_slope")),
        ("Output", ("mix",)),
    ),
)
