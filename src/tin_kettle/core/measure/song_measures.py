"""All measurements of one song or print, as ``measure --json`` gives them."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np
from numpy.typing import NDArray

from tin_kettle.core.measure import loudness
from tin_kettle.core.measure.loudness import MOMENTARY_SLOTS, SHORT_TERM_SLOTS, LoudnessMeter
from tin_kettle.core.measure.peaks import SumMeter, TruePeakMeter
from tin_kettle.core.measure.spectrum import SpectrumMeter

Measures = dict[str, Any]


class SongMeter:
    """Feeds on blocks from the first to the last; :meth:`finish` gives the measurements."""

    def __init__(self, rate_hz: int, channels: int = 2) -> None:
        self._rate_hz, self._channels = rate_hz, channels
        self.loudness = LoudnessMeter(rate_hz)
        self.true_peak = TruePeakMeter()
        self._sums = SumMeter()
        self._spectrum = SpectrumMeter(rate_hz)

    def feed(self, block: NDArray[np.float64]) -> None:
        """Hear (2, frames); a mono file as two equal channels."""
        for part in self.parts:
            part(block)

    @property
    def parts(self) -> tuple[Callable[[NDArray[np.float64]], None], ...]:
        """What hears a block, as long as each other and apart: they may do so at once."""
        return self.hear_levels, self.hear_spectrum

    def hear_spectrum(self, block: NDArray[np.float64]) -> None:
        """What lies where, of (2, frames)."""
        self._spectrum.feed(block)

    def hear_levels(self, block: NDArray[np.float64]) -> None:
        """Everything else."""
        self.loudness.feed(block)
        self.true_peak.feed(block)
        self._sums.feed(block)

    def finish(self) -> Measures:
        """The measurements; nothing may be fed after."""
        self.true_peak.finish()
        self._spectrum.finish()
        slots, sums, spectrum = self.loudness.slots(), self._sums, self._spectrum
        # a mono file is one channel to the standard: half the energy of two equal ones
        energy = loudness.stereo_energy(slots) * (0.5 if self._channels == 1 else 1.0)
        integrated = loudness.integrated_lufs(energy)
        mono = loudness.integrated_lufs(loudness.mono_energy(slots))
        both = loudness.integrated_lufs(loudness.stereo_energy(slots))
        true_peak = self.true_peak.dbtp
        return {
            "rate_hz": self._rate_hz,
            "channels": self._channels,
            "duration_s": sums.frames / self._rate_hz,
            "integrated_lufs": integrated,
            "max_momentary_lufs": loudness.highest_lufs(energy, MOMENTARY_SLOTS),
            "max_short_term_lufs": loudness.highest_lufs(energy, SHORT_TERM_SLOTS),
            "loudness_range_lu": loudness.loudness_range_lu(energy),
            "true_peak_dbtp": true_peak,
            "sample_peak_dbfs": sums.sample_peak_dbfs,
            "peak_to_loudness_lu": None if integrated is None else true_peak - integrated,
            "correlation": sums.correlation,
            "mono_loss_lu": None if both is None or mono is None else both - mono,
            "side_energy_below_120hz": spectrum.share(0.0, 120.0, component=1, of_range=True, without_mean=True),
            "energy_below_30hz": spectrum.share(0.0, 30.0, without_mean=True),
            "energy_above_16khz": spectrum.share(16000.0, float("inf")),
            "dc_offset": sums.dc_offset[: self._channels],
            "clipped_samples": sums.clipped_samples(self._channels),
            "spectrum": spectrum.third_octaves(),
        }
