"""Loudness by ITU-R BS.1770-5, EBU Tech 3341 (momentary, short-term) and Tech 3342 (range)."""

from __future__ import annotations

import math
from typing import Self

import numpy as np
from numpy.typing import NDArray

from tin_kettle.core.dsp.compile import kernel
from tin_kettle.core.dsp.pass_filters import Sections
from tin_kettle.core.dsp.svf import svf_cascade

SLOTS_PER_S = 100
MOMENTARY_SLOTS, SHORT_TERM_SLOTS, HOP_SLOTS = 40, 300, 10
ABSOLUTE_GATE_LUFS, RELATIVE_GATE_LU, RANGE_GATE_LU = -70.0, -10.0, -20.0
OFFSET_LU = -0.691


def k_weighting(rate_hz: float) -> Sections:
    """The two sections of BS.1770 annex 1, (2, 5), for any rate.

    Analogue prototypes that give the standard's coefficients at 48 kHz: a shelf of 3.99984 dB at 1681.97 Hz and a
    high-pass at 38.135 Hz. The high-pass keeps the standard's numerator (1, −2, 1), hence its gain of 1 + g·k + g².
    """
    shelf_gain = 10.0 ** (3.999843853973347 / 20.0)
    shelf_band = shelf_gain**0.4996667741545416
    shelf_k = 1.0 / 0.7071752369554196
    shelf_g = math.tan(math.pi * 1681.974450955533 / rate_hz)
    low_g = math.tan(math.pi * 38.13547087602444 / rate_hz)
    low_k = 1.0 / 0.5003270373238773
    return np.array(
        [
            (shelf_g, shelf_k, shelf_gain, shelf_band * shelf_k, 1.0),
            (low_g, low_k, 1.0 + low_g * low_k + low_g * low_g, 0.0, 0.0),
        ]
    )


@kernel("int64(float64[:, ::1], float64[:, ::1], float64[::1], int64, float64)")
def _fill_slots(
    weighted: NDArray[np.float64],
    slots: NDArray[np.float64],
    running: NDArray[np.float64],
    position: int,
    slot_frames: float,
) -> int:
    """Sum LL, RR and LR over slots of 10 ms; slot n ends before frame round((n + 1)·slot_frames)."""
    made = 0
    at = 0
    frames = weighted.shape[1]
    left = weighted[0]
    right = weighted[1]
    while at < frames:
        number = np.int64(np.floor((position + at + 0.5) / slot_frames))
        end = np.int64(np.ceil((number + 1) * slot_frames - 0.5)) - position
        stop = min(frames, max(end, at + 1))
        ll = 0.0
        rr = 0.0
        lr = 0.0
        for i in range(at, stop):
            ll += left[i] * left[i]
            rr += right[i] * right[i]
            lr += left[i] * right[i]
        running[0] += ll
        running[1] += rr
        running[2] += lr
        running[3] += stop - at
        if stop == end:
            for k in range(3):
                slots[made, k] = running[k] / running[3]
                running[k] = 0.0
            running[3] = 0.0
            made += 1
        at = stop
    return made


class Weighing:
    """A filter in front of a meter."""

    def __init__(self, sections: Sections) -> None:
        self._sections = sections
        self._state = np.zeros((len(sections), 2, 2))

    def fork(self) -> Self:
        """A copy that goes on from the same state."""
        twin = type(self)(self._sections)
        twin._state = self._state.copy()
        return twin

    def weigh(self, block: NDArray[np.float64]) -> NDArray[np.float64]:
        """(2, frames) behind the filter."""
        weighted = block.copy()
        svf_cascade(weighted, self._sections, self._state)
        return weighted


class Slots:
    """Mean energies (left·left, right·right, left·right) of 10 ms slots.

    Level of any passage, of the mono sum, of mid or side follows from them.
    """

    def __init__(self, rate_hz: float) -> None:
        self._running = np.zeros(4)
        self._position = 0
        self._slot_frames = rate_hz / SLOTS_PER_S
        self._parts: list[NDArray[np.float64]] = []

    def fork(self) -> Self:
        """A copy that goes on from the same state."""
        twin = type(self).__new__(type(self))
        twin.__dict__.update(self.__dict__)
        twin._running, twin._parts = self._running.copy(), list(self._parts)
        return twin

    def add(self, weighted: NDArray[np.float64]) -> None:
        """Take in (2, frames)."""
        room = np.empty((int(weighted.shape[1] / self._slot_frames) + 2, 3))
        made = _fill_slots(weighted, room, self._running, self._position, self._slot_frames)
        self._position += weighted.shape[1]
        if made:
            self._parts.append(room[:made])

    def slots(self) -> NDArray[np.float64]:
        """(slots, 3): mean energies LL, RR, LR of every full 10 ms."""
        if len(self._parts) != 1:
            self._parts = [np.concatenate(self._parts) if self._parts else np.zeros((0, 3))]
        return self._parts[0]

    def forget(self, keep: int) -> None:
        """Let go of all but the last ``keep`` slots, for meters that run for hours."""
        self._parts = [self.slots()[-keep:]]


class SlotMeter(Slots):
    """Feeds on blocks; keeps the energies of 10 ms slots behind a filter."""

    def __init__(self, sections: Sections, rate_hz: float) -> None:
        super().__init__(rate_hz)
        self._weighing = Weighing(sections)

    def fork(self) -> Self:
        """A copy that goes on from the same state."""
        twin = super().fork()
        twin._weighing = self._weighing.fork()
        return twin

    def feed(self, block: NDArray[np.float64]) -> float:
        """Hear (2, frames); returns the highest magnitude behind the filter."""
        weighted = self._weighing.weigh(block)
        self.add(weighted)
        return max(float(weighted.max(initial=0.0)), -float(weighted.min(initial=0.0)))


class LoudnessMeter(SlotMeter):
    """K-weighted slots: loudness by the standards."""

    def __init__(self, rate_hz: float) -> None:
        super().__init__(k_weighting(rate_hz), rate_hz)

    def last_lufs(self, slots: int) -> float | None:
        """Loudness of the last so many slots (40 momentary, 300 short-term); None before the first."""
        heard = self.slots()
        if not len(heard):
            return None
        # what has not been heard yet counts as silence, as on any meter that has just been started
        return energy_to_lufs(float(heard[-slots:, :2].sum()) / slots)


def energy_to_lufs(energy: float) -> float | None:
    """Loudness of a mean K-weighted energy summed over the channels; None for silence."""
    return OFFSET_LU + 10.0 * math.log10(energy) if energy > 1e-20 else None


def _windows(energy: NDArray[np.float64], length: int, hop: int) -> NDArray[np.float64]:
    """Mean of every window of ``length`` slots, ``hop`` apart."""
    if len(energy) < length:
        return np.zeros(0)
    view = np.lib.stride_tricks.sliding_window_view(energy, length)[::hop]
    return np.asarray(view.mean(axis=1))


def stereo_energy(slots: NDArray[np.float64]) -> NDArray[np.float64]:
    """Energy of both channels together, (slots,)."""
    return np.asarray(slots[:, 0] + slots[:, 1])


def mono_energy(slots: NDArray[np.float64]) -> NDArray[np.float64]:
    """Energy of (L + R)/2 on both sides, (slots,)."""
    return np.asarray(0.5 * (slots[:, 0] + slots[:, 1]) + slots[:, 2])


def running_lufs(energy: NDArray[np.float64], window_slots: int = MOMENTARY_SLOTS) -> NDArray[np.float64]:
    """Loudness of the window that ends with each slot, (slots,); silence reads −200."""
    total = np.concatenate([np.zeros(window_slots), np.cumsum(energy)])
    mean = (total[window_slots:] - total[:-window_slots]) / window_slots
    return np.asarray(OFFSET_LU + 10.0 * np.log10(np.maximum(mean, 1e-20)))


def integrated_lufs(energy: NDArray[np.float64]) -> float | None:
    """Gated loudness of 10 ms energies (BS.1770-5 equations 3–7); None where all is gated out."""
    return _gated_lufs(_windows(energy, MOMENTARY_SLOTS, HOP_SLOTS))


def _gated_lufs(blocks: NDArray[np.float64]) -> float | None:
    loud = blocks[blocks > _energy(ABSOLUTE_GATE_LUFS)]
    if not loud.size:
        return None
    loud = loud[loud > loud.mean() * 10.0 ** (RELATIVE_GATE_LU / 10.0)]
    return energy_to_lufs(float(loud.mean()))


def _energy(lufs: float) -> float:
    return float(10.0 ** ((lufs - OFFSET_LU) / 10.0))


def highest_lufs(energy: NDArray[np.float64], window_slots: int) -> float | None:
    """Loudest window, windows 10 ms apart; a shorter song is measured as one window padded with silence."""
    if not len(energy):
        return None
    windows = _windows(energy, window_slots, 1)
    return energy_to_lufs(float(windows.max() if windows.size else energy.sum() / window_slots))


def loudness_range_lu(energy: NDArray[np.float64]) -> float | None:
    """Tech 3342: 10th to 95th percentile of the gated short-term loudness; None where all is gated out."""
    blocks = _windows(energy, SHORT_TERM_SLOTS, HOP_SLOTS)
    loud = blocks[blocks > _energy(ABSOLUTE_GATE_LUFS)]
    if not loud.size:
        return None
    loud = loud[loud > loud.mean() * 10.0 ** (RANGE_GATE_LU / 10.0)]
    levels = np.sort(10.0 * np.log10(loud))
    low, high = (levels[round((len(levels) - 1) * share)] for share in (0.10, 0.95))
    return float(high - low)
