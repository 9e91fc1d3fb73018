"""Loudness of a spectrum as the ear sums it up: critical bands, and how they mask those above them.

Tables and flanks are those of Zwicker, Fastl, Widmann, Kurakata, Kuwano and Namba (1991, *Program for calculating
loudness according to DIN 45631*), from which ISO 532-1 grew.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from tin_kettle.core.dsp.compile import inline, kernel

BARK = 0.1
BARKS = 240
_SILENT = 1e-14

# of third-octave bands up to 315 Hz: level ranges, and weights by range
_RANGES_DB = np.array([45.0, 55.0, 65.0, 71.0, 80.0, 90.0, 100.0, 120.0])
_LOW_WEIGHTS_DB = np.array(
    [
        [-32, -24, -16, -10, -5, 0, -7, -3, 0, -2, 0],
        [-29, -22, -15, -10, -4, 0, -7, -2, 0, -2, 0],
        [-27, -19, -14, -9, -4, 0, -6, -2, 0, -2, 0],
        [-25, -17, -12, -9, -3, 0, -5, -2, 0, -2, 0],
        [-23, -16, -11, -7, -3, 0, -4, -1, 0, -1, 0],
        [-20, -14, -10, -6, -3, 0, -4, -1, 0, -1, 0],
        [-18, -12, -9, -6, -2, 0, -3, -1, 0, -1, 0],
        [-15, -10, -8, -4, -2, 0, -3, -1, 0, -1, 0],
    ],
    dtype=np.float64,
)
# thresholds in quiet, transmission of the ear, from third-octaves to critical bands, and where these end
_QUIET_DB = np.array([30.0, 18.0, 12.0, 8.0, 7.0, 6.0, 5.0, 4.0] + [3.0] * 12)
_EAR_DB = np.array([0, 0, 0, 0, 0, 0, 0, 0, 0, 0, -0.5, -1.6, -3.2, -5.4, -5.6, -4, -1.5, 2, 5, 12], dtype=np.float64)
_BAND_DB = np.array(
    [-0.25, -0.6, -0.8, -0.8, -0.5, 0, 0.5, 1.1, 1.5, 1.7, 1.8, 1.8, 1.7, 1.6, 1.4, 1.2, 0.8, 0.5, 0, -0.5]
)
_UPPER_BARK = np.array(
    [0.9, 1.8, 2.8, 3.5, 4.4, 5.4, 6.6, 7.9, 9.2, 10.6, 12.3, 13.8, 15.2, 16.7, 18.1, 19.3, 20.6, 21.8, 22.7, 23.6, 24]
)
# from which specific loudness on a flank has which slope, by the band where it lies
_FLANK_FROM = np.array(
    [21.5, 18, 15.1, 11.5, 9, 6.1, 4.4, 3.1, 2.13, 1.36, 0.82, 0.42, 0.30, 0.22, 0.15, 0.10, 0.035, 0]
)
_FLANKS = np.array(
    [
        [13, 8.2, 6.3, 5.5, 5.5, 5.5, 5.5, 5.5],
        [9, 7.5, 6, 5.1, 4.5, 4.5, 4.5, 4.5],
        [7.8, 6.7, 5.6, 4.9, 4.4, 3.9, 3.9, 3.9],
        [6.2, 5.4, 4.6, 4.0, 3.5, 3.2, 3.2, 3.2],
        [4.5, 3.8, 3.6, 3.2, 2.9, 2.7, 2.7, 2.7],
        [3.7, 3.0, 2.8, 2.35, 2.2, 2.2, 2.2, 2.2],
        [2.9, 2.3, 2.1, 1.9, 1.8, 1.7, 1.7, 1.7],
        [2.4, 1.7, 1.5, 1.35, 1.3, 1.3, 1.3, 1.3],
        [1.95, 1.45, 1.3, 1.15, 1.1, 1.1, 1.1, 1.1],
        [1.5, 1.2, 0.94, 0.86, 0.82, 0.82, 0.82, 0.82],
        [0.72, 0.67, 0.64, 0.63, 0.62, 0.62, 0.62, 0.62],
        [0.59, 0.53, 0.51, 0.50, 0.42, 0.42, 0.42, 0.42],
        [0.40, 0.33, 0.26, 0.24, 0.22, 0.22, 0.22, 0.22],
        [0.27, 0.21, 0.20, 0.18, 0.17, 0.17, 0.17, 0.17],
        [0.16, 0.15, 0.14, 0.12, 0.11, 0.11, 0.11, 0.11],
        [0.12, 0.11, 0.10, 0.08, 0.08, 0.08, 0.08, 0.08],
        [0.09, 0.08, 0.07, 0.06, 0.06, 0.06, 0.06, 0.05],
        [0.06, 0.05, 0.03, 0.02, 0.02, 0.02, 0.02, 0.02],
    ]
)


@kernel("void(float64[:, ::1], float64[:, ::1])")
def core_loudness(level_db: NDArray[np.float64], core: NDArray[np.float64]) -> None:
    """Core loudness of 20 critical bands from third-octave levels, free field.

    Args:
        level_db: (28, steps), sound pressure levels from 25 Hz to 12.5 kHz.
        core: (21, steps) out; the last row stays at nought.
    """
    for i in range(level_db.shape[1]):
        low0 = low1 = low2 = 0.0
        for band in range(11):
            at = 0
            while at < 7 and level_db[band, i] > _RANGES_DB[at] - _LOW_WEIGHTS_DB[at, band]:
                at += 1
            power = 10.0 ** (0.1 * (level_db[band, i] + _LOW_WEIGHTS_DB[at, band]))
            if band < 6:
                low0 += power
            elif band < 9:
                low1 += power
            else:
                low2 += power
        for band in range(20):
            if band == 0:
                level = 10.0 * np.log10(max(low0, _SILENT))
            elif band == 1:
                level = 10.0 * np.log10(max(low1, _SILENT))
            elif band == 2:
                level = 10.0 * np.log10(max(low2, _SILENT))
            else:
                level = level_db[band + 8, i]
            level -= _EAR_DB[band]
            quiet = _QUIET_DB[band]
            found = 0.0
            if level > quiet:
                level -= _BAND_DB[band]
                found = (
                    0.0635 * 10.0 ** (0.025 * quiet) * ((0.75 + 0.25 * 10.0 ** (0.1 * (level - quiet))) ** 0.25 - 1.0)
                )
            core[band, i] = max(found, 0.0)
        core[0, i] *= min(0.4 + 0.32 * core[0, i] ** 0.2, 1.0)
        core[20, i] = 0.0


@inline
def masked_loudness(core: NDArray[np.float64], specific: NDArray[np.float64]) -> float:
    """Loudness in sone: the area under the core loudnesses and the flanks by which they mask upwards.

    Args:
        core: (21,).
        specific: (240,) sone a Bark at every tenth of a Bark, out.
    """
    total = 0.0
    z1 = 0.0
    n1 = 0.0
    z = BARK
    at = 0
    j = 17
    for band in range(21):
        upper = _UPPER_BARK[band] + 0.0001
        group = min(max(band - 1, 0), 7)
        while z1 < upper:
            if n1 <= core[band]:
                if n1 < core[band]:
                    j = 0
                    while j < 17 and _FLANK_FROM[j] >= core[band]:
                        j += 1
                z2 = upper
                n2 = core[band]
                total += n2 * (z2 - z1)
                while z <= z2 and at < BARKS:
                    specific[at] = n2
                    at += 1
                    z += BARK
            else:
                n2 = max(_FLANK_FROM[j], core[band])
                wide = (n1 - n2) / _FLANKS[j, group]
                z2 = z1 + wide
                if z2 > upper:
                    z2 = upper
                    wide = z2 - z1
                    n2 = n1 - wide * _FLANKS[j, group]
                total += wide * (n1 + n2) / 2.0
                while z <= z2 and at < BARKS:
                    specific[at] = n1 - (z - z1) * _FLANKS[j, group]
                    at += 1
                    z += BARK
            while j < 17 and n2 <= _FLANK_FROM[j]:
                j += 1
            z1 = z2
            n1 = n2
    return total


@kernel("void(float64[:, ::1], float64[::1], float64[::1])")
def loudness_course(core: NDArray[np.float64], sone: NDArray[np.float64], mean: NDArray[np.float64]) -> None:
    """Loudness of every step, and specific loudness on average.

    Args:
        core: (21, steps).
        sone: (steps,) out.
        mean: (240,) out, sone a Bark.
    """
    specific = np.empty(BARKS)
    bands = np.empty(21)
    mean[:] = 0.0
    steps = core.shape[1]
    for i in range(steps):
        for band in range(21):
            bands[band] = core[band, i]
        specific[:] = 0.0
        sone[i] = masked_loudness(bands, specific)
        for k in range(BARKS):
            mean[k] += specific[k]
    for k in range(BARKS):
        mean[k] /= max(steps, 1)
