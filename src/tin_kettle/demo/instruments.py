"""Vibraphone, upright bass, drums, harmonium and voices: single notes, (frames,) at 48 kHz, peak about 1."""

from __future__ import annotations

from functools import cache

import numpy as np
from numpy.typing import NDArray
from scipy.signal import butter, lfilter, sosfilt

RATE_HZ = 48000
Note = NDArray[np.float64]


def hertz(midi: float) -> float:
    """Frequency of a MIDI note number, A4 = 440 Hz."""
    return float(440.0 * 2.0 ** ((midi - 69) / 12))


def _time(seconds: float) -> Note:
    return np.arange(round(seconds * RATE_HZ)) / RATE_HZ


def _noise(seconds: float, seed: int) -> Note:
    return np.random.default_rng(seed).standard_normal(round(seconds * RATE_HZ))


def _band(signal: Note, low_hz: float, high_hz: float) -> Note:
    return np.asarray(sosfilt(butter(2, [low_hz, high_hz], "bandpass", fs=RATE_HZ, output="sos"), signal))


def _released(note: Note, fade_s: float) -> Note:
    fade = min(round(fade_s * RATE_HZ), note.size)
    note[note.size - fade :] *= np.linspace(1.0, 0.0, fade) ** 2
    return note


@cache
def vibraphone(midi: float) -> Note:
    """A bar struck with a mallet: fundamental, fourth and tenth partial, slow tremolo of the fans."""
    t, hz = _time(2.6), hertz(midi)
    body = np.exp(-t * 1.5) * np.sin(2 * np.pi * hz * t)
    body += 0.28 * np.exp(-t * 5.0) * np.sin(2 * np.pi * 3.984 * hz * t)
    body += 0.10 * np.exp(-t * 16.0) * np.sin(2 * np.pi * 10.67 * hz * t)
    tremolo = 1.0 + 0.22 * np.sin(2 * np.pi * 5.3 * t)
    # the harsh spot of this record: the mallet rings in a resonator near 3.4 kHz
    ring = np.exp(-t * 9.0) * np.sin(2 * np.pi * 3400.0 * t + midi)
    click = 0.35 * _band(_noise(2.6, int(midi)) * np.exp(-t * 400.0), 1500, 7000)
    return _released(0.7 * body * tremolo + 0.11 * ring + 1.6 * click, 0.4)


@cache
def bass(midi: float, seconds: float) -> Note:
    """A plucked gut string: falling harmonics, a finger, wood."""
    t, hz = _time(seconds), hertz(midi)
    note = np.zeros(t.size)
    for k in range(1, 15):
        stretch = k * np.sqrt(1.0 + 0.0003 * k * k)
        note += np.exp(-t * (1.1 + 0.9 * k)) * np.sin(2 * np.pi * hz * stretch * t + 0.3 * k) / k
    finger = _band(_noise(seconds, int(midi) + 500) * np.exp(-t * 120.0), 500, 2600)
    attack = np.minimum(t / 0.006, 1.0)
    return _released(0.62 * note * attack + 0.22 * finger, 0.06)


@cache
def kick() -> Note:
    """A machine's kick, with the loose sub of this record: a tail near 43 Hz that rings on for half a second."""
    t = _time(0.75)
    phase = 2 * np.pi * np.cumsum(50.0 + 110.0 * np.exp(-t * 42.0)) / RATE_HZ
    body = np.sin(phase) * np.exp(-t * 11.0)
    sub = 0.34 * np.sin(2 * np.pi * 43.0 * t) * np.exp(-t * 4.2) * np.minimum(t / 0.03, 1.0)
    beater = 0.5 * _band(_noise(0.75, 11) * np.exp(-t * 260.0), 1800, 6500)
    return _released(body + sub + beater, 0.1)


@cache
def snare() -> Note:
    """A machine's snare with a hard edge: the peak stands far above the body."""
    t = _time(0.32)
    shell = 0.55 * np.sin(2 * np.pi * 188.0 * t) * np.exp(-t * 26.0)
    wires = 0.5 * _band(_noise(0.32, 12) * np.exp(-t * 17.0), 900, 9000)
    edge = 0.9 * _band(_noise(0.32, 13) * np.exp(-t * 900.0), 2000, 12000)
    return _released(shell + wires + edge, 0.05)


@cache
def brush(seconds: float, seed: int) -> Note:
    """A brush drawn over the head."""
    t = _time(seconds)
    swell = np.sin(np.pi * np.clip(t / seconds, 0, 1)) ** 1.6
    return 0.5 * _band(_noise(seconds, seed), 1800, 8500) * swell


@cache
def hat(open_: bool) -> Note:
    """A hi-hat."""
    t = _time(0.4 if open_ else 0.09)
    decay = np.exp(-t * (9.0 if open_ else 60.0))
    return _released(0.8 * _band(_noise(t.size / RATE_HZ, 14), 6500, 16000) * decay, 0.02)


@cache
def harmonium(midi: float, seconds: float) -> Note:
    """Two reeds a little apart, with the bellows' slow breath."""
    t, hz = _time(seconds), hertz(midi)
    note = np.zeros(t.size)
    for detune, share in ((0.9985, 0.5), (1.0017, 0.5)):
        for k in range(1, 25):
            if k * hz < 9000:
                note += share * np.sin(2 * np.pi * hz * detune * k * t + 1.7 * k * detune) / k**1.1
    breath = 1.0 + 0.12 * np.sin(2 * np.pi * 0.31 * t + midi)
    envelope = np.minimum(t / 0.28, 1.0) * breath
    return _released(0.3 * note * envelope, 0.35)


# centre in Hz, width in Hz, share
_FORMANTS = {
    "ah": ((760, 110, 1.0), (1180, 130, 0.7), (2700, 190, 0.5), (3500, 250, 0.35)),
    "oo": ((330, 90, 1.0), (820, 110, 0.5), (2400, 190, 0.2), (3200, 250, 0.12)),
}


@cache
def voice(midi: float, seconds: float, vowel: str, seed: int) -> Note:
    """A sung vowel: a pulse train with vibrato through formants, and a breath."""
    t, hz = _time(seconds), hertz(midi)
    drift = np.random.default_rng(seed).uniform(-0.004, 0.004)
    vibrato = 0.006 * np.sin(2 * np.pi * (5.1 + 0.4 * drift * 100) * t + seed) * np.minimum(t / 0.5, 1.0)
    phase = np.cumsum(hz * (1.0 + drift + vibrato)) / RATE_HZ
    pulse = np.zeros(t.size)
    for k in range(1, int(5000 / hz)):
        pulse += np.cos(2 * np.pi * k * phase) / k
    note = np.zeros(t.size)
    for centre, width, share in _FORMANTS[vowel]:
        r = np.exp(-np.pi * width / RATE_HZ)
        theta = 2 * np.pi * centre / RATE_HZ
        note += share * lfilter([1 - r], [1, -2 * r * np.cos(theta), r * r], pulse)
    breath = 0.02 * _band(_noise(seconds, seed + 900), 2500, 9000)
    envelope = np.minimum(t / 0.12, 1.0)
    return _released(note / np.abs(note).max() * envelope * 0.8 + breath * envelope, 0.18)


@cache
def sibilant(seed: int) -> Note:
    """A sharp S near 7 kHz."""
    t = _time(0.16)
    return _band(_noise(0.16, seed), 5600, 9200) * np.sin(np.pi * t / 0.16) ** 0.7


@cache
def room_response(seed: int) -> Note:
    """Half a second of a wooden boat shed."""
    t = _time(0.9)
    tail = _noise(0.9, seed) * np.exp(-t * 7.5) * np.minimum(t / 0.012, 1.0)
    return np.asarray(sosfilt(butter(1, [180, 6500], "bandpass", fs=RATE_HZ, output="sos"), tail)) * 0.024
