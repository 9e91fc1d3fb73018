"""How near the sound is to what the contracts promise: figures, not times."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from tests.conftest import recipe_of, tone
from tests.core.stages.test_equalizer import prototype
from tin_kettle.core.engine.offline import render
from tin_kettle.core.engine.source import ArraySource
from tin_kettle.core.measure.song_measures import SongMeter
from tin_kettle.core.stages.equalizer import EqualizerParams, response

HZ = np.geomspace(8.0, 20000.0, 700)
SHAPES = ("bell", "low_shelf", "high_shelf", "tilt", "notch", "band_pass", "high_pass")
SETTINGS = 150


def _run(stage: dict[str, object], x: np.ndarray, rate_hz: int = 48000) -> np.ndarray:
    return np.concatenate(list(render(recipe_of(stage), {"mix": ArraySource(x, rate_hz)})), axis=1)


def _curve_miss(shape: str, rate_hz: int) -> tuple[float, float]:
    """Worst distance from the analogue curve to 16 kHz and to 20 kHz over settings drawn by chance, dB."""
    rng = np.random.default_rng(7)
    worst = [0.0, 0.0]
    for _ in range(SETTINGS):
        hz = float(np.exp(rng.uniform(np.log(20), np.log(16000))))
        q, gain_db = float(np.exp(rng.uniform(np.log(0.3), np.log(8)))), float(rng.uniform(-12, 12))
        band = {"shape": shape, "hz": hz, "q": q, "gain_db": gain_db, "slope": 12}
        params = EqualizerParams.model_validate({"bands": [{"id": "a", **band}]})
        wanted = 20 * np.log10(np.maximum(np.abs(prototype(band, HZ)), 1e-9))
        found = 20 * np.log10(np.maximum(np.abs(response(params, HZ, rate_hz)[0, 0]), 1e-9))
        miss = np.abs(found - wanted) * (wanted > -30)
        worst = [max(worst[0], miss[HZ <= 16000].max()), max(worst[1], miss.max())]
    return worst[0], worst[1]


def _alias_db(attack_ms: float) -> float:
    """Strongest tone that a compressor adds to 10 kHz at full scale, re that tone, dB."""
    stage = {
        "kind": "compressor",
        "params": {"threshold_db": -18, "ratio": 2, "knee_db": 0, "attack_ms": attack_ms, "release_ms": 100},
    }
    out = _run(stage, tone(10000, 0, 4.0))[0, 96000:]
    spectrum = np.abs(np.fft.rfft(out * np.blackman(out.size)))
    centre = round(10000 * out.size / 48000)
    peak = spectrum[centre]
    spectrum[centre - 20 : centre + 21] = 0.0
    spectrum[:200] = 0.0
    return float(20 * np.log10(spectrum.max() / peak))


def rows() -> Iterator[tuple[str, str, str]]:
    """(what, measured, goal)."""
    for shape in SHAPES:
        misses = [_curve_miss(shape, rate_hz) for rate_hz in (44100, 48000)]
        near, far = max(m[0] for m in misses), max(m[1] for m in misses)
        name = f"equalizer, {shape.replace('_', ' ')}: farthest from the analogue curve to 16 and 20 kHz"
        yield name, f"{near:.2f} dB, {far:.2f} dB", "0.3 dB, 0.8 dB"
    stage = {"kind": "compressor", "params": {"knee_db": 0}}
    out = _run(stage, tone(1000, 0, 4.0))[0, 96000:]
    gain_db = 20 * np.log10(np.sqrt(np.mean(out**2)) * np.sqrt(2))
    yield "compressor, 0 dBFS sine, −18 dB, 2 : 1, 30/100 ms: gain", f"{gain_db:.2f} dB", "−7.50 ± 0.05 (mean)"
    for attack_ms in (30.0, 3.0, 0.3):
        goal = "−80 dB" if attack_ms < 1 else ""
        yield (
            f"compressor, 10 kHz at 0 dBFS, attack {attack_ms:g} ms: strongest alias",
            f"{_alias_db(attack_ms):.0f} dB",
            goal,
        )
    limited = {"kind": "limiter", "params": {"gain_db": 12, "ceiling_db": -1}}
    meter = SongMeter(48000)
    rng = np.random.default_rng(3)
    noise = np.fft.irfft(
        np.fft.rfft(rng.standard_normal((2, 480000))) * (np.fft.rfftfreq(480000, 1 / 48000) < 20600), 480000
    )
    meter.feed(_run(limited, 0.3 * noise))
    over = meter.finish()["true_peak_dbtp"] + 1.0
    yield "limiter, band-limited noise: true peak over the ceiling", f"{max(0.0, over):.3f} dB", "0.05 dB, aim 0.01"
    meter = SongMeter(48000)
    meter.feed(tone(1000, -23, 20.0))
    yield "loudness of a stereo 1 kHz sine at −23 dBFS", f"{meter.finish()['integrated_lufs']:.3f} LUFS", "−23.0 ± 0.1"
