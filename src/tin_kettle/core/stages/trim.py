"""Trim: level, balance, polarity, swapped sides, a constant offset removed."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from tin_kettle.core.dsp.block import Block
from tin_kettle.core.dsp.decibels import apply_balance, db_to_gain
from tin_kettle.core.dsp.pass_filters import high_pass
from tin_kettle.core.dsp.svf import svf_cascade, svf_response
from tin_kettle.core.stages.declarations import Kind, Params, Picture, number, switch
from tin_kettle.core.stages.number_text import bare, db
from tin_kettle.core.stages.processor import Processor

OFFSET_HZ = 2.0


class TrimParams(Params):
    gain_db: float = number(
        0,
        -36,
        36,
        label="Gain",
        unit="dB",
        ticks=(-36, -24, -12, 0, 12, 24, 36),
        says="Makes everything louder or softer.",
        follows=True,
    )
    balance: float = number(
        0,
        -1,
        1,
        label="Balance",
        ticks=(-1, -0.5, 0, 0.5, 1),
        says="Turns one channel down: the right below zero, the left above.",
        follows=True,
    )
    invert_left: bool = switch(False, label="Invert left", says="Inverts the polarity of the left channel.")
    invert_right: bool = switch(False, label="Invert right", says="Inverts the polarity of the right channel.")
    swap: bool = switch(False, label="Swap channels", says="Exchanges left and right.")
    remove_dc: bool = switch(
        False,
        label="Remove DC offset",
        says="Removes DC offset, which costs headroom and is inaudible.",
    )


class Trim(Processor):
    """Order: swap, polarity, gain and balance, offset."""

    def __init__(self, params: TrimParams, rate_hz: float) -> None:
        super().__init__()
        self._params = params
        self.static_db = params.gain_db
        self._gains = _gains(params)
        self._signs = _signs(params)
        self._plain = bool(np.all(self._gains == 1.0))
        self._swap = params.swap
        self._remove_dc = params.remove_dc
        # from 96 dB below, and from what can still be heard of it
        self.tail_s, self.memory_s = (0.9, 0.4) if params.remove_dc else (0.0, 0.0)
        self._sections = high_pass(OFFSET_HZ, 6, 0.0, rate_hz)
        self.state = {"filter": np.zeros((1, 2, 2)), "settled": np.zeros(1, dtype=np.int64)}

    def process(self, block: Block) -> Block:
        block = block[::-1].copy() if self._swap else block.copy()
        if self.input_values:
            frames, p = block.shape[1], self._params
            gain_db = self.input_values.every("gain_db", p.gain_db, frames)
            apply_balance(block, gain_db, self.input_values.every("balance", p.balance, frames))
            if p.invert_left or p.invert_right:
                block *= self._signs
            self.static_db = gain_db
        elif not self._plain:
            block *= self._gains
        if self._remove_dc and block.shape[1]:
            if not self.i64("settled")[0]:
                # as if the first sample had lasted for ever, so that an offset leaves no thump at the start
                self._settle(block[:, 0])
            svf_cascade(block, self._sections, self.f64("filter"))
        return block

    def _settle(self, first: Block) -> None:
        # both poles rest on a constant input when the band state is nought and the low state equals it
        self.f64("filter")[0, :, 0] = 0.0
        self.f64("filter")[0, :, 1] = first
        self.i64("settled")[0] = 1


def _gains(params: TrimParams) -> NDArray[np.float64]:
    """(2, 1): what left and right are multiplied by."""
    gain, balance = db_to_gain(params.gain_db), params.balance
    sides = np.array([[gain * min(1.0, 1.0 - balance)], [gain * min(1.0, 1.0 + balance)]])
    return np.asarray(sides * _signs(params))


def _signs(params: TrimParams) -> NDArray[np.float64]:
    return np.array([[-1.0 if params.invert_left else 1.0], [-1.0 if params.invert_right else 1.0]])


def _response(params: TrimParams, hz: NDArray[np.float64], rate_hz: float) -> NDArray[np.complex128]:
    matrix = np.diag(_gains(params)[:, 0]) @ (np.eye(2)[::-1] if params.swap else np.eye(2))
    offset = svf_response(high_pass(OFFSET_HZ, 6, 0.0, rate_hz), hz, rate_hz) if params.remove_dc else np.ones(hz.size)
    return np.asarray(np.einsum("ij,p->ijp", matrix, offset))


def _picture(params: TrimParams, _rate_hz: float) -> Picture:
    left, right = np.abs(_gains(params)[:, 0])
    return {"left_gain": float(left), "right_gain": float(right)}


def _summary(params: TrimParams) -> str:
    parts = [db(params.gain_db)] if params.gain_db else []
    if params.balance:
        parts.append(f"balance {bare(abs(params.balance) * 100)} % {'right' if params.balance > 0 else 'left'}")
    flipped = [side for side, on in (("left", params.invert_left), ("right", params.invert_right)) if on]
    if flipped:
        parts.append(f"{' and '.join(flipped)} inverted")
    parts += ["sides swapped"] if params.swap else []
    parts += ["offset removed"] if params.remove_dc else []
    return " · ".join(parts) or "changes nothing"


KIND = Kind(
    name="trim",
    title="Trim",
    says="Sets level, balance and polarity.",
    sought=("gain", "volume", "polarity", "phase", "balance", "swap", "dc", "offset"),
    params=TrimParams,
    build=Trim,
    picture=_picture,
    summary=_summary,
    response=_response,
    level="gain_db",
    columns=(
        ("Level", ("gain_db", "balance")),
        ("Channels", ("swap", "invert_left", "invert_right")),
        ("Offset", ("remove_dc",)),
        ("Output", ("mix",)),
    ),
)
