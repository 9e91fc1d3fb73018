"""Tamer: turns down what stands out of the spectrum, wherever it is at the moment.

Frames of a short-time Fourier transform, a quarter of their length apart, windowed by the root of a Hann window before
and after, so that frames that are left alone add up to what came. Each frame's spectrum, both sides together, is
compared with a reference, which is made of its peaks and not of its mean: noise has peaks by chance, and a note has
harmonics. What lies above it by more than the threshold is cut by the same amount on both sides, over time by one pole
a bin. The delay is the length of a frame.
"""

from __future__ import annotations

import math
from collections import deque
from typing import Literal, Self

import numpy as np
from numpy.typing import NDArray

from tin_kettle.core.dsp.block import Block
from tin_kettle.core.dsp.dynamics import one_pole
from tin_kettle.core.dsp.resonance_cuts import (
    CELLS,
    bump,
    cells,
    cut_bins,
    follow,
    heard_loss,
    nearest_bins,
    overlap,
    peak_line,
    power_of,
    spread,
    standing_out,
)
from tin_kettle.core.dsp.svf import FORGOTTEN
from tin_kettle.core.dsp.transforms import irfft, rfft
from tin_kettle.core.stages.declarations import Ease, Kind, Params, Picture, choice, number
from tin_kettle.core.stages.number_text import db, hz
from tin_kettle.core.stages.processor import Processor

Resolution = Literal[21, 43, 85, 170]
HOPS = 4
"""Frames that overlap."""
LEAST_OCT, WIDER = 1.0, 4.0
"""The reference is a mean over this much to either side, and so many widths of a cut at least."""
FRAME_HZ = {21: 1024 / 48000, 43: 2048 / 48000, 85: 4096 / 48000, 170: 8192 / 48000}
CURVE_HZ = np.geomspace(20.0, 20000.0, 240)
BAND_EDGES_HZ = 1000.0 * 10.0 ** (np.arange(-17.5, 14.0) / 10.0)
"""Of third octaves: what a stage takes is what the band that loses most loses."""
QUIETEST_DB = -90.0
"""Bins below this (of a full-scale tone) do not stand out of anything."""


class TamerParams(Params):
    threshold_db: float = number(
        3,
        -12,
        24,
        label="Threshold",
        unit="dB",
        ticks=(-12, 0, 3, 6, 12, 24),
        says="Sets how far a peak may exceed the reference before it is cut.",
    )
    strength: float = number(
        0.5, 0, 1, label="Strength", ticks=(0, 0.25, 0.5, 0.75, 1), says="Sets how much of the excess is cut."
    )
    max_cut_db: float = number(
        12, 0, 36, label="Max cut", unit="dB", ticks=(0, 6, 12, 24, 36), says="Limits the cut at any frequency."
    )
    width_oct: float = number(
        0.3,
        0.05,
        2,
        label="Width",
        unit="oct",
        scale="log",
        ticks=(0.05, 0.1, 0.3, 1, 2),
        says="Sets the bandwidth of the cuts: narrow for single tones, broad for overall tone.",
    )
    attack_ms: float = number(
        10,
        1,
        200,
        label="Attack",
        unit="ms",
        scale="log",
        ticks=(1, 3, 10, 30, 100, 200),
        says="Sets how fast a cut begins.",
    )
    release_ms: float = number(
        80,
        5,
        1000,
        label="Release",
        unit="ms",
        scale="log",
        ticks=(5, 20, 80, 300, 1000),
        says="Sets how fast a cut ends.",
    )
    reference: Literal["smoothed", "tilted"] = choice(
        "smoothed",
        label="Reference",
        says="Compares with the song's own smoothed spectrum or with a tilted line.",
    )
    tilt_db_oct: float = number(
        3, 0, 6, label="Tilt", unit="dB/oct", ticks=(0, 1.5, 3, 4.5, 6), says="Sets the slope of the tilted line."
    )
    focus_low_hz: float = number(
        1500, 20, 20000, label="From", unit="Hz", scale="log", ticks=(20, 100, 500, 1500, 5000, 20000),
        says="Works above this frequency only.",
    )  # fmt: skip
    focus_high_hz: float = number(
        20000, 20, 20000, label="To", unit="Hz", scale="log", ticks=(20, 100, 500, 1500, 5000, 20000),
        says="Works below this frequency only.",
    )  # fmt: skip
    resolution_ms: Resolution = choice(
        43,
        label="Resolution",
        unit="ms",
        says="Long frames resolve close tones and add latency. Short frames react faster.",
        delays=True,
    )
    keep: Literal["result", "removed"] = choice(
        "result", label="Output", says="Outputs the processed sound or only what was removed."
    )


class Tamer(Processor):
    def __init__(self, params: TamerParams, rate_hz: float) -> None:
        super().__init__()
        self._params = params
        self._frame = 1 << round(math.log2(FRAME_HZ[params.resolution_ms] * rate_hz))
        self._hop = self._frame // HOPS
        self.delay = self.warm_frames = self._frame
        bins = self._frame // 2 + 1
        self._hz = np.asarray(np.arange(bins) * (rate_hz / self._frame), dtype=np.float64)
        self._hz[0] = 0.5 * self._hz[1]
        # a quarter apart, squares of this add up to 2
        self._window = np.sin(np.pi * (np.arange(self._frame) + 0.5) / self._frame)
        self._half = self._window / (HOPS / 2)
        self._place, self._bump = cells(self._hz, params.width_oct), bump()
        self._nearest = nearest_bins(self._place)
        self._outer = round(CELLS * max(LEAST_OCT / params.width_oct, WIDER))
        self._bands = np.unique(np.minimum(np.searchsorted(self._hz, BAND_EDGES_HZ), bins)).astype(np.int64)
        self._focus = (self._hz >= params.focus_low_hz) & (self._hz <= params.focus_high_hz)
        at = np.flatnonzero(self._focus)
        self._bins = (int(at[0]), int(at[-1]) + 1) if at.size else (0, 0)
        self._line = 10.0 ** (-params.tilt_db_oct * np.log2(self._hz / 1000.0) / 10.0)
        # power of a bin at the centre of a full-scale tone
        self._full = (0.5 * self._window.sum()) ** 2
        hop_ms = 1000.0 * self._hop / rate_hz
        self._attack = one_pole(params.attack_ms / hop_ms, 1000.0)
        self._release = one_pole(params.release_ms / hop_ms, 1000.0)
        self.memory_s = FORGOTTEN * params.release_ms / 1000.0 + 2 * self._frame / rate_hz
        self.tail_s = self._frame / rate_hz
        self.state = {
            "past": np.zeros((2, self._frame)),
            "coming": np.zeros((2, self._frame)),
            "ready": np.zeros((2, self._hop)),
            "cut": np.zeros(bins),
            "lost_db": np.zeros(1),
            "cut_sum": np.zeros(bins),
            "turns": np.zeros(1, dtype=np.int64),
            "filled": np.full(1, -1, dtype=np.int64),
        }
        # what is heard now is the middle of the frame before the last
        self._seen: deque[tuple[NDArray[np.float64], ...]] = deque(maxlen=HOPS // 2 + 1)

    def process(self, block: Block) -> Block:
        past, ready, filled = self.f64("past"), self.f64("ready"), self.i64("filled")
        if filled[0] < 0:
            # frames begin at the same places of the song whenever one begins to listen
            filled[0] = self.span.runs[0][0] % self._hop if self.span is not None else 0
        at, frames, hop = int(filled[0]), block.shape[1], self._hop
        joined = np.concatenate([past[:, : self._frame - hop + at], block], axis=1)
        full, left = divmod(at + frames, hop)
        lost_db = [float(self.f64("lost_db")[0])]
        if full:
            made, loss = self._turn(joined, full)
            lost_db += loss.tolist()
            self.f64("lost_db")[0] = lost_db[-1]
            out = np.concatenate([ready[:, at:], made], axis=1)[:, :frames]
            ready[:] = made[:, -hop:]
        else:
            out = ready[:, at : at + frames].copy()
        past[:, : self._frame - hop + left] = joined[:, full * hop :]
        filled[0] = left
        effort_db = np.repeat(lost_db, hop)[at : at + frames]
        self.efforts_db = {"effort_db": effort_db[None]}
        return out

    def _turn(self, joined: Block, full: int) -> tuple[Block, NDArray[np.float64]]:
        """Work on so many frames that are full: the hops that are ready, and what each frame loses, (frames,) dB."""
        made = np.empty((full, 2, self._frame))
        for index in range(full):
            first = index * self._hop
            np.multiply(joined[:, first : first + self._frame], self._window, out=made[index])
        spectra = rfft(made)
        power = np.empty((full, spectra.shape[2]))
        power_of(spectra, self._full, power)
        cut_db = self._follow(power)
        lost_db = np.empty(full)
        heard_loss(power, cut_db, self._bands, QUIETEST_DB, lost_db)
        removed = self._params.keep == "removed"
        # what is left alone comes back as it was
        turned = np.flatnonzero(cut_db.any(axis=1) | removed)
        if turned.size:
            cut_bins(spectra, cut_db, removed)
        if turned.size == full:
            made = irfft(spectra, self._frame)
        elif turned.size:
            made[turned] = irfft(spectra[turned], self._frame)
        ready = np.empty((2, full * self._hop))
        overlap(made, self._half, self.f64("coming"), ready)
        return ready, lost_db

    def _follow(self, power: NDArray[np.float64]) -> NDArray[np.float64]:
        """Let the cut of every bin follow what stands out of frames; full-scale tones have power 1."""
        p = self._params
        peaks, reference = np.empty_like(power), np.empty_like(power)
        peak_line(power, self._place, self._nearest, self._outer, peaks, reference)
        if p.reference == "tilted" and self._focus.any():
            level = peaks[:, self._focus].mean(axis=1) / self._line[self._focus].mean()
            reference[:] = self._line * level[:, None]
        told = np.empty((3, *power.shape))
        standing_out(power, reference, p.threshold_db, p.strength, p.max_cut_db, QUIETEST_DB, *self._bins, told)
        cut_db = np.empty_like(power)
        spread(told[2], self._place, self._bump, cut_db)
        follow(cut_db, self._attack, self._release, self.f64("cut"))
        self._seen.extend(zip(told[0], told[1], cut_db, strict=True))
        self.f64("cut_sum")[:] += cut_db.sum(axis=0)
        self.i64("turns")[0] += len(cut_db)
        return cut_db

    def curves(self) -> dict[str, NDArray[np.float64]]:
        """At ``CURVE_HZ``: the highest bin near each (dB re a full-scale tone), what it is held against, the cut."""
        if not self._seen:
            return {}
        level_db, reference_db, cut_db = self._seen[0]
        edges_hz = np.sqrt(CURVE_HZ[1:] * CURVE_HZ[:-1])
        at = np.searchsorted(self._hz, np.concatenate([[0.0], edges_hz]))
        near = np.minimum(np.searchsorted(self._hz, CURVE_HZ), self._hz.size - 1)
        at = np.minimum(at, self._hz.size - 1)
        return {
            # where bins are farther apart than points, a point shows the nearest
            "level_db": np.maximum(np.maximum.reduceat(level_db, at), level_db[near]),
            "reference_db": reference_db[near],
            "cut_db": np.maximum(np.maximum.reduceat(cut_db, at), cut_db[near]),
        }

    def over_song(self) -> dict[str, NDArray[np.float64]]:
        """The cut on average, dB at ``CURVE_HZ``."""
        average = self.f64("cut_sum") / max(int(self.i64("turns")[0]), 1)
        return {"cut_db": np.interp(CURVE_HZ, self._hz, average)}

    def adopt(self, other: Processor) -> bool:
        if not isinstance(other, Tamer) or other._frame != self._frame:
            return False
        return super().adopt(other)

    def fork(self) -> Self:
        twin = super().fork()
        twin._seen = self._seen.copy()
        return twin


def _picture(params: TamerParams, rate_hz: float) -> Picture:
    frame = 1 << round(math.log2(FRAME_HZ[params.resolution_ms] * rate_hz))
    return {"hz": CURVE_HZ.round(3).tolist(), "delay_ms": round(1000.0 * frame / rate_hz, 1)}


def _summary(params: TamerParams) -> str:
    if not params.strength or not params.max_cut_db:
        return "cuts nothing"
    if params.focus_high_hz <= params.focus_low_hz:
        return "cuts nothing: its range ends below where it begins"
    cut = "outputs the cut" if params.keep == "removed" else f"cuts {100 * params.strength:.0f} %"
    return f"{cut} above {db(params.threshold_db)}, {hz(params.focus_low_hz)} to {hz(params.focus_high_hz)}"


KIND = Kind(
    name="tamer",
    title="Tamer",
    says="Cuts resonances wherever they appear: harsh highs, ringing, whistling.",
    sought=("harsh", "resonance", "ringing", "whistle", "smooth", "shrill", "piercing"),
    params=TamerParams,
    build=Tamer,
    picture=_picture,
    summary=_summary,
    dynamic=True,
    # at that depth for half of the song it takes colour too
    ease=Ease(3.0, "threshold +3 dB", lambda p: {"threshold_db": min(24.0, p.threshold_db + 3.0)}, share=0.5),
    columns=(
        ("Cut", ("threshold_db", "strength", "max_cut_db", "width_oct")),
        ("Reference", ("reference", "tilt_db_oct", "focus_low_hz", "focus_high_hz")),
        ("Time", ("attack_ms", "release_ms", "resolution_ms")),
        ("Output", ("keep", "mix")),
    ),
    active_when={"tilt_db_oct": ("reference", "tilted")},
)
