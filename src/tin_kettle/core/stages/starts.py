"""Starting points for the bus compressor, by purpose: few, and meant to be moved from."""

from __future__ import annotations

from dataclasses import dataclass

from tin_kettle.core.stages.compressor import CompressorParams, DetectorFilter


@dataclass(frozen=True)
class Start:
    """A setting to begin from."""

    name: str
    title: str
    says: str
    params: CompressorParams


_NO_KICK = DetectorFilter(kind="high_pass", hz=110.0, slope=12)

STARTS: tuple[Start, ...] = (
    Start(
        "hold",
        "Hold a mix together",
        "Slow to take hold, quick to let go, deaf to the kick: a dB or two in the loud parts.",
        CompressorParams(threshold_db=-18.0, ratio=1.7, attack_ms=30.0, release_ms=150.0, detector_filters=(_NO_KICK,)),
    ),
    Start(
        "snap",
        "Drums with snap",
        "Lets the hit through and holds what follows: more ratio, a hard knee.",
        CompressorParams(threshold_db=-20.0, ratio=4.0, knee_db=2.0, attack_ms=25.0, release_ms=90.0),
    ),
    Start(
        "calm",
        "Calm peaks",
        "Quick and brief: takes the edge off single hits and is gone.",
        CompressorParams(threshold_db=-10.0, ratio=3.0, knee_db=6.0, attack_ms=1.0, release_ms=60.0),
    ),
    Start(
        "voice",
        "Voice forward",
        "Listens harder where voices are, and recovers like a lamp cooling down.",
        CompressorParams(
            threshold_db=-22.0,
            ratio=2.0,
            attack_ms=12.0,
            release_ms=80.0,
            release_mode="optical",
            detector="rms",
            detector_filters=(_NO_KICK, DetectorFilter(kind="bell", hz=2500.0, q=0.7, gain_db=5.0)),
        ),
    ),
    Start(
        "low",
        "Firm low end",
        "Answers to the lows alone and evens them over a bar.",
        CompressorParams(
            threshold_db=-22.0,
            ratio=2.5,
            attack_ms=20.0,
            release_ms=200.0,
            release_mode="auto",
            detector_filters=(DetectorFilter(kind="low_pass", hz=160.0, slope=12),),
        ),
    ),
)
