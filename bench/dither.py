"""Spectra of what dither leaves, and their figures; ``python -m bench.dither`` draws ``docs/dither.svg``."""

from __future__ import annotations

import math
from collections.abc import Iterator
from pathlib import Path

import numpy as np
from numpy.typing import NDArray
from scipy.signal import welch

from tin_kettle.core.deliver.dither import Dither, Quantiser

PICTURE = Path("docs/dither.svg")
RATE_HZ, SECONDS, WINDOW = 44100, 30, 8192
TONE_HZ, TONE_DB = 1001.0, -90.3
"""Hardly more than one step of 16 bits: what is cut off plainly follows it."""
INKS: dict[Dither, str] = {"none": "#a84a23", "tpdf": "#20426b", "shaped": "#8a6206"}
SAYS: dict[Dither, str] = {"none": "cut off", "tpdf": "tpdf", "shaped": "shaped"}
WIDTH, HEIGHT, LEFT, BELOW = 860, 320, 56, 26
HIGH_DB, LOW_DB = -84.0, -150.0
LOW_HZ, HIGH_HZ = 30.0, 22050.0


def spectrum(dither: Dither) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Frequencies in Hz and the power in each bin of some 5 Hz, re a full-scale sine, of the tone at 16 bits."""
    t = np.arange(SECONDS * RATE_HZ) / RATE_HZ
    tone = 10.0 ** (TONE_DB / 20.0) * np.sin(2.0 * np.pi * TONE_HZ * t)
    steps = Quantiser(16, dither).quantise(np.stack([tone, tone]))
    hz, power = welch(steps[0] / 32768.0, RATE_HZ, "blackmanharris", WINDOW, scaling="spectrum")
    return hz, power * 2.0


def rows() -> Iterator[tuple[str, str, str]]:
    """What, measured, goal: the noise as a whole and where the ear is keenest, the worst harmonic above it."""
    for dither in INKS:
        hz, power = spectrum(dither)
        # a Blackman-Harris window spreads a bin's noise over two
        noise = np.where(np.abs(hz - TONE_HZ) < 40.0, 0.0, power) / 2.0
        whole, keen = (
            10.0 * math.log10(noise[(hz >= low) & (hz <= high)].sum()) for low, high in ((20, 20000), (2000, 5000))
        )
        harmonics = [np.argmin(np.abs(hz - n * TONE_HZ)) for n in range(2, 10)]
        worst = max(10.0 * math.log10(power[n] / np.median(power[n - 40 : n + 40])) for n in harmonics)
        said = f"{whole:.1f} dB from 20 Hz to 20 kHz, {keen:.1f} dB from 2 to 5 kHz, harmonics {worst:+.1f} dB"
        yield f"16 bits, {SAYS[dither]}: noise, worst harmonic over it", said.replace("-", "−"), ""


def _x(hz: float) -> float:
    return LEFT + (WIDTH - LEFT) * math.log(hz / LOW_HZ) / math.log(HIGH_HZ / LOW_HZ)


def _y(db: float) -> float:
    return HEIGHT * (HIGH_DB - min(max(db, LOW_DB), HIGH_DB)) / (HIGH_DB - LOW_DB)


def picture() -> str:
    """The three spectra over each other, as SVG."""
    parts = [f'<rect x="{LEFT}" width="{WIDTH - LEFT}" height="{HEIGHT}" fill="#fcfbf7" stroke="#cdc8bc"/>']
    for db in range(-140, -89, 10):
        parts.append(f'<path d="M{LEFT} {_y(db):.1f}H{WIDTH}" stroke="#e7e3d9"/>')
        parts.append(f'<text x="{LEFT - 6}" y="{_y(db) + 4:.1f}" text-anchor="end">−{-db} dB</text>')
    for hz, words in ((100, "100 Hz"), (1000, "1 kHz"), (10000, "10 kHz")):
        parts.append(f'<path d="M{_x(hz):.1f} 0V{HEIGHT}" stroke="#e7e3d9"/>')
        parts.append(f'<text x="{_x(hz):.1f}" y="{HEIGHT + 15}" text-anchor="middle">{words}</text>')
    for number, (dither, ink) in enumerate(INKS.items()):
        columns: dict[int, list[float]] = {}
        for hz, power in zip(*spectrum(dither), strict=True):
            if hz >= LOW_HZ:
                columns.setdefault(round(_x(hz)), []).append(max(power, 1e-18))
        points = " ".join(f"{x},{_y(10.0 * math.log10(np.mean(powers))):.1f}" for x, powers in columns.items())
        parts.append(f'<polyline fill="none" stroke="{ink}" points="{points}"/>')
        parts.append(f'<text x="{LEFT + 10 + 70 * number}" y="18" fill="{ink}">{SAYS[dither]}</text>')
    box = f'viewBox="0 0 {WIDTH + 4} {HEIGHT + BELOW}" width="{WIDTH + 4}" height="{HEIGHT + BELOW}"'
    style = 'font-family="sans-serif" font-size="12" fill="#585750"'
    return f'<svg xmlns="http://www.w3.org/2000/svg" {box} {style}>{"".join(parts)}</svg>\n'


if __name__ == "__main__":
    PICTURE.write_text(picture())
    for what, measured, _ in rows():
        print(f"{what}: {measured}")
