"""Starting points by purpose: few, and meant to be moved from."""

from __future__ import annotations

from dataclasses import dataclass

from tin_kettle.core.stages.band_dynamics import BandDynamicsParams, DynamicBand
from tin_kettle.core.stages.clipper import ClipperParams
from tin_kettle.core.stages.compressor import CompressorParams, DetectorFilter
from tin_kettle.core.stages.declare import Params
from tin_kettle.core.stages.dynamic_equalizer import DynamicEqualizerParams, Pin
from tin_kettle.core.stages.leveller import LevellerParams
from tin_kettle.core.stages.room import RoomParams
from tin_kettle.core.stages.saturator import SaturatorParams
from tin_kettle.core.stages.stereo import StereoParams
from tin_kettle.core.stages.tamer import TamerParams
from tin_kettle.core.stages.transients import TransientsParams


@dataclass(frozen=True)
class Start:
    """A setting to begin from, of the kind of stage whose parameters it gives."""

    name: str
    title: str
    says: str
    params: Params


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
    Start(
        "s",
        "Soften an S",
        "A narrow, quick pin where an S lives: it moves only while there is one.",
        DynamicEqualizerParams(bands=(Pin(id="s", hz=6800, q=2.5, range_db=-6, threshold_db=-36, ratio=4),)),
    ),
    Start(
        "cymbals",
        "Calm cymbals",
        "A wide shelf that gives way while the cymbals are loud and is gone between them.",
        DynamicEqualizerParams(
            bands=(Pin(id="cymbals", shape="high_shelf", hz=7500, q=0.7, range_db=-4, threshold_db=-34, ratio=2.5),)
        ),
    ),
    Start(
        "boom",
        "Hold a boomy note",
        "A pin on the note that swells, held down only while it does.",
        DynamicEqualizerParams(bands=(Pin(id="boom", hz=95, q=3, range_db=-6, threshold_db=-20, ratio=3),)),
    ),
    Start(
        "punch",
        "More punch",
        "Reaches up with each hit of the kick and rests in between.",
        DynamicEqualizerParams(bands=(Pin(id="punch", hz=70, q=1.2, range_db=3, threshold_db=-18, ratio=3),)),
    ),
    Start(
        "firm",
        "Firm low end",
        "The lows held by themselves, slowly enough to keep their shape; everything else is left alone.",
        BandDynamicsParams(
            crossovers_hz=(120.0,),
            bands=(
                DynamicBand(id="low", threshold_db=-22, ratio=2.5, attack_ms=25, release_ms=180),
                DynamicBand(id="rest"),
            ),
        ),
    ),
    Start(
        "soft-top",
        "Soft highs",
        "Above 5 kHz quick and brief, so that highs are calm without being dull.",
        BandDynamicsParams(
            crossovers_hz=(5000.0,),
            bands=(
                DynamicBand(id="rest"),
                DynamicBand(id="high", threshold_db=-32, ratio=2, attack_ms=3, release_ms=60, range_db=6),
            ),
        ),
    ),
    Start(
        "detail",
        "Lift what is quiet",
        "Middle and highs brought up a little where they are quiet; loud passages stay as they are.",
        BandDynamicsParams(
            crossovers_hz=(250.0, 4000.0),
            bands=(
                DynamicBand(id="low"),
                DynamicBand(id="mid", mode="lift", threshold_db=-36, ratio=1.5, range_db=4, release_ms=300),
                DynamicBand(id="high", mode="lift", threshold_db=-46, ratio=1.5, range_db=4, release_ms=300),
            ),
        ),
    ),
    Start(
        "harsh",
        "Tame harsh highs",
        "What stands out above 2 kHz, by half.",
        TamerParams(threshold_db=3, strength=0.5, max_cut_db=9, focus_low_hz=2000),
    ),
    Start(
        "ringing",
        "Take out ringing",
        "Narrow and patient: single tones that stay, told apart by long frames.",
        TamerParams(
            threshold_db=8,
            strength=0.8,
            width_oct=0.1,
            attack_ms=60,
            release_ms=250,
            focus_low_hz=150,
            resolution_ms=170,
        ),
    ),
    Start(
        "notes",
        "Even notes",
        "Single notes of a bass or a voice brought together, slowly enough not to be heard.",
        LevellerParams(reach_db=4, speed_s=0.4),
    ),
    Start("phrases", "Even phrases", "Whole phrases brought together.", LevellerParams(reach_db=3, speed_s=2.5)),
    Start(
        "forward",
        "Hits forward",
        "Every stroke a little earlier in the ear; what rings after it stays.",
        TransientsParams(attack_db=3, speed_ms=12),
    ),
    Start(
        "dry-lows",
        "Shorter lows",
        "Below 150 Hz less of what rings on between the hits.",
        TransientsParams(body_db=-3, speed_ms=40, high_hz=150),
    ),
    Start(
        "density",
        "Density",
        "Rounds the loudest crests gently, as loud as before.",
        SaturatorParams(curve="soft", drive_db=5),
    ),
    Start(
        "edge",
        "Edge in the highs",
        "Only what lies above 3 kHz meets the curve early: presence without level.",
        SaturatorParams(curve="firm", drive_db=4, emphasis_on=True, emphasis_hz=3000, emphasis_db=9),
    ),
    Start(
        "warm",
        "Warm bass",
        "Even and odd harmonics, so that a bass is heard on small loudspeakers too.",
        SaturatorParams(curve="asymmetric", drive_db=8),
    ),
    Start(
        "needles",
        "Cut the needles",
        "A flat cut 1 dB below full scale; lows pass uncut.",
        ClipperParams(ceiling_db=-1, spare_below_hz=120),
    ),
    Start(
        "round-needles",
        "Round the needles",
        "Peaks bent over from farther below, and their edge softened.",
        ClipperParams(ceiling_db=-1, knee=0.3, spare_below_hz=120, soften_above_hz=8000),
    ),
    Start(
        "same-space",
        "Same space for all",
        "A small room behind the whole mix, felt rather than heard: mix it in by 5 to 10 %.",
        RoomParams(size=0.35, decay_s=0.5, pre_delay_ms=10, low_cut_hz=250, high_cut_hz=7000),
    ),
    Start(
        "middle-lows",
        "Lows in the middle",
        "What differs below 120 Hz is taken out: firm on every loudspeaker, and cuttable.",
        StereoParams(mono_below_hz=120),
    ),
    Start(
        "open-top",
        "Open the top",
        "Highs a little wider, lows a little narrower, the voice where it is.",
        StereoParams(crossovers_hz=(250.0, 3500.0), widths=(0.7, 1.0, 1.25)),
    ),
    Start(
        "air",
        "Air on the highs only",
        "For the upper branch of a split: short, bright, and silent below 2 kHz.",
        RoomParams(size=0.6, decay_s=1.1, pre_delay_ms=18, low_cut_hz=2000, high_cut_hz=16000),
    ),
)
