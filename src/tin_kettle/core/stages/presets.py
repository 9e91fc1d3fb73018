"""Starting points by purpose: few, and meant to be moved from."""

from __future__ import annotations

from dataclasses import dataclass

from tin_kettle.core.stages.band_dynamics import BandDynamicsParams, DynamicBand
from tin_kettle.core.stages.clipper import ClipperParams
from tin_kettle.core.stages.compressor import CompressorParams, DetectorFilter
from tin_kettle.core.stages.declarations import Params
from tin_kettle.core.stages.dynamic_equalizer import DynamicEqualizerParams, MovingBand
from tin_kettle.core.stages.leveller import LevellerParams
from tin_kettle.core.stages.room import RoomParams
from tin_kettle.core.stages.saturator import SaturatorParams
from tin_kettle.core.stages.stereo import StereoParams
from tin_kettle.core.stages.tamer import TamerParams
from tin_kettle.core.stages.transients import TransientsParams


@dataclass(frozen=True)
class Preset:
    """A setting to begin from, of the kind of stage whose parameters it gives."""

    name: str
    title: str
    says: str
    params: Params


_NO_KICK = DetectorFilter(kind="high_pass", hz=110.0, slope=12)

STARTS: tuple[Preset, ...] = (
    Preset(
        "hold",
        "Glue a mix",
        "Slow attack, fast release, kick filtered from the detector: 1 to 2 dB in loud parts.",
        CompressorParams(threshold_db=-18.0, ratio=1.7, attack_ms=30.0, release_ms=150.0, detector_filters=(_NO_KICK,)),
    ),
    Preset(
        "snap",
        "Drums with snap",
        "Lets attacks through and compresses what follows: higher ratio, hard knee.",
        CompressorParams(threshold_db=-20.0, ratio=4.0, knee_db=2.0, attack_ms=25.0, release_ms=90.0),
    ),
    Preset(
        "calm",
        "Calm peaks",
        "Fast attack and release for single peaks.",
        CompressorParams(threshold_db=-10.0, ratio=3.0, knee_db=6.0, attack_ms=1.0, release_ms=60.0),
    ),
    Preset(
        "voice",
        "Voice forward",
        "Detector boosted in the vocal range, optical release.",
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
    Preset(
        "low",
        "Firm low end",
        "Detector on the lows only, slow enough to even them over a bar.",
        CompressorParams(
            threshold_db=-22.0,
            ratio=2.5,
            attack_ms=20.0,
            release_ms=200.0,
            release_mode="auto",
            detector_filters=(DetectorFilter(kind="low_pass", hz=160.0, slope=12),),
        ),
    ),
    Preset(
        "s",
        "De-ess",
        "A narrow, fast band for sibilance: de-esser.",
        DynamicEqualizerParams(bands=(MovingBand(id="s", hz=6800, q=2.5, range_db=-6, threshold_db=-36, ratio=4),)),
    ),
    Preset(
        "cymbals",
        "Calm cymbals",
        "A wide high shelf that cuts while the cymbals are loud.",
        DynamicEqualizerParams(
            bands=(
                MovingBand(id="cymbals", shape="high_shelf", hz=7500, q=0.7, range_db=-4, threshold_db=-34, ratio=2.5),
            )
        ),
    ),
    Preset(
        "boom",
        "Boomy note",
        "A narrow band that cuts a resonant bass note while it is loud.",
        DynamicEqualizerParams(bands=(MovingBand(id="boom", hz=95, q=3, range_db=-6, threshold_db=-20, ratio=3),)),
    ),
    Preset(
        "punch",
        "More punch",
        "Boosts the lows on each kick.",
        DynamicEqualizerParams(bands=(MovingBand(id="punch", hz=70, q=1.2, range_db=3, threshold_db=-18, ratio=3),)),
    ),
    Preset(
        "firm",
        "Firm low end",
        "Compresses the low band slowly; all other bands are unchanged.",
        BandDynamicsParams(
            crossovers_hz=(120.0,),
            bands=(
                DynamicBand(id="low", threshold_db=-22, ratio=2.5, attack_ms=25, release_ms=180),
                DynamicBand(id="rest"),
            ),
        ),
    ),
    Preset(
        "soft-top",
        "Soft highs",
        "Fast compression above 5 kHz for calmer highs.",
        BandDynamicsParams(
            crossovers_hz=(5000.0,),
            bands=(
                DynamicBand(id="rest"),
                DynamicBand(id="high", threshold_db=-32, ratio=2, attack_ms=3, release_ms=60, range_db=6),
            ),
        ),
    ),
    Preset(
        "detail",
        "Lift quiet detail",
        "Lifts quiet mids and highs; loud passages stay as they are.",
        BandDynamicsParams(
            crossovers_hz=(250.0, 4000.0),
            bands=(
                DynamicBand(id="low"),
                DynamicBand(id="mid", mode="lift", threshold_db=-36, ratio=1.5, range_db=4, release_ms=300),
                DynamicBand(id="high", mode="lift", threshold_db=-46, ratio=1.5, range_db=4, release_ms=300),
            ),
        ),
    ),
    Preset(
        "harsh",
        "Tame harsh highs",
        "Cuts resonances above 2 kHz by half.",
        TamerParams(threshold_db=3, strength=0.5, max_cut_db=9, focus_low_hz=2000),
    ),
    Preset(
        "ringing",
        "Ringing tones",
        "Narrow cuts for sustained tones, with long frames.",
        TamerParams(
            threshold_db=12,
            strength=0.7,
            max_cut_db=9,
            width_oct=0.15,
            attack_ms=120,
            release_ms=250,
            focus_low_hz=500,
            resolution_ms=170,
        ),
    ),
    Preset(
        "notes",
        "Even notes",
        "Evens the notes of a bass or a voice slowly and inaudibly.",
        LevellerParams(reach_db=4, speed_s=0.4),
    ),
    Preset("phrases", "Even phrases", "Whole phrases brought together.", LevellerParams(reach_db=3, speed_s=2.5)),
    Preset(
        "forward",
        "Hits forward",
        "Stronger attacks, unchanged sustain.",
        TransientsParams(attack_db=3, speed_ms=12),
    ),
    Preset(
        "dry-lows",
        "Shorter lows",
        "Less sustain below 150 Hz.",
        TransientsParams(body_db=-3, speed_ms=40, high_hz=150),
    ),
    Preset(
        "density",
        "Density",
        "Rounds the loudest peaks gently at the same loudness.",
        SaturatorParams(curve="soft", drive_db=5),
    ),
    Preset(
        "edge",
        "Edge in the highs",
        "Saturates above 3 kHz only: presence without level.",
        SaturatorParams(curve="firm", drive_db=4, emphasis_on=True, emphasis_hz=3000, emphasis_db=9),
    ),
    Preset(
        "warm",
        "Warm bass",
        "Even and odd harmonics make a bass audible on small speakers.",
        SaturatorParams(curve="asymmetric", drive_db=8),
    ),
    Preset(
        "needles",
        "Clip short peaks",
        "Hard clipping 1 dB below full scale; lows pass unclipped.",
        ClipperParams(ceiling_db=-1, spare_below_hz=120),
    ),
    Preset(
        "round-needles",
        "Round short peaks",
        "Soft knee, softened harmonics.",
        ClipperParams(ceiling_db=-1, knee=0.3, spare_below_hz=120, soften_above_hz=8000),
    ),
    Preset(
        "same-space",
        "Same space for all",
        "A small room behind the whole mix. Use 5 to 10 % mix.",
        RoomParams(size=0.35, decay_s=0.5, pre_delay_ms=10, low_cut_hz=250, high_cut_hz=7000),
    ),
    Preset(
        "middle-lows",
        "Mono lows",
        "Mono below 120 Hz: firm on every speaker, safe for vinyl.",
        StereoParams(mono_below_hz=120),
    ),
    Preset(
        "open-top",
        "Open the top",
        "Slightly wider highs, slightly narrower lows.",
        StereoParams(crossovers_hz=(250.0, 3500.0), widths=(0.7, 1.0, 1.25)),
    ),
    Preset(
        "air",
        "Air on the highs only",
        "For the high branch of a split: short and bright, nothing below 2 kHz.",
        RoomParams(size=0.6, decay_s=1.1, pre_delay_ms=18, low_cut_hz=2000, high_cut_hz=16000),
    ),
)
