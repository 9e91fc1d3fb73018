"""Each fault is found where it is, with its number, and is gone once its fix is taken."""

import numpy as np
import pytest

from tests.conftest import RATE_HZ, recipe_of
from tin_kettle.core.engine.source import ArraySource
from tin_kettle.core.survey.before_after import describe_passage
from tin_kettle.core.survey.findings import find, with_fix
from tin_kettle.core.survey.sections import propose_sections
from tin_kettle.core.survey.suggest import suggest_tone
from tin_kettle.core.survey.survey import survey_song

SECONDS = 14
T = np.arange(SECONDS * RATE_HZ) / RATE_HZ


def clean():
    """Noise that falls by 3 dB an octave up to 12 kHz, a little wide, with a slow beat; nothing is wrong with it."""
    rng = np.random.default_rng(5)
    white = rng.standard_normal((2, T.size))
    shape = 1.0 / np.sqrt(np.maximum(np.fft.rfftfreq(T.size, 1 / RATE_HZ), 40.0))
    shape[: round(35 * SECONDS)] = 0.0
    shape[round(12000 * SECONDS) :] *= (12000 * SECONDS / np.arange(round(12000 * SECONDS), shape.size)) ** 8
    pink = np.fft.irfft(np.fft.rfft(white) * shape, T.size)
    mid, side = pink[0], 0.4 * pink[1]
    low = np.fft.rfft(side)
    low[: round(150 * SECONDS)] = 0.0
    side = np.fft.irfft(low, T.size)
    x = np.stack([mid + side, mid - side])
    return 0.12 * x / x.std() * (0.8 + 0.2 * np.sin(2 * np.pi * 0.5 * T))


def ring(x):
    return x + 0.03 * np.sin(2 * np.pi * 3400 * T)


def wide_low(x):
    hum = 0.06 * np.sin(2 * np.pi * 70 * T)
    return x + np.stack([hum, -hum])


def sub(x):
    return x + 0.05 * np.sin(2 * np.pi * 17 * T)


def hiss(x):
    spectrum = np.fft.rfft(np.random.default_rng(6).standard_normal(x.shape) * 0.05)
    spectrum[:, : round(17000 * SECONDS)] = 0.0
    return x + np.fft.irfft(spectrum, T.size)


def lopsided(x):
    return x * np.array([[1.06], [0.94]])


def offset(x):
    return x + 0.004


def needle(x):
    x = x.copy()
    x[:, 7 * RATE_HZ] += 1.6
    return x


def sharp(x):
    x = x.copy()
    for at in (2.0, 6.0, 11.0):
        span = slice(round(at * RATE_HZ), round((at + 0.15) * RATE_HZ))
        x[:, span] += 0.25 * np.sin(2 * np.pi * 7000 * T[span] + 3 * np.sin(2 * np.pi * 900 * T[span]))
    return x


def loose(x):
    """A bass whose notes are as loud as they like."""
    rng = np.random.default_rng(8)
    steps = 10 ** (rng.uniform(-14, 2, 2 * SECONDS) / 20)
    return 0.5 * x + 0.3 * np.sin(2 * np.pi * 70 * T) * np.repeat(steps, RATE_HZ // 2)


def leaps(x):
    """A resonance that is there for a moment every three seconds."""
    there = (T % 3.0 < 0.4) * np.sin(np.pi * (T % 3.0) / 0.4) ** 2
    return x + 0.06 * np.sin(2 * np.pi * 3444 * T) * there


def edges(x):
    """A click of a millisecond every second and a half, and nothing like it beside."""
    x = 0.4 * x
    for at in np.arange(0.7, SECONDS, 1.5):
        first = round(at * RATE_HZ)
        x[:, first : first + 48] += 0.8 * np.sin(np.linspace(0, 4 * np.pi, 48))
    return x


def cancels(x):
    return np.stack([x[0], -0.8 * x[0] + 0.2 * x[1]])


def clipped(x):
    return np.clip(6 * x, -1.0, 1.0)


def look(x, recipe):
    sources = {"mix": ArraySource(x, RATE_HZ)}
    now = survey_song(recipe, sources)
    return {f.id: f for f in find(now, survey_song(recipe.as_received(), sources), recipe)}


def test_nothing_is_found_where_nothing_is_wrong():
    assert look(clean(), recipe_of()) == {}


@pytest.mark.parametrize(
    ("fault", "name", "at_s"),
    [
        (ring, "ring-3444", None),
        (wide_low, "low-end-wide", None),
        (sub, "low-end-costs", None),
        (hiss, "high-end-costs", None),
        (lopsided, "lopsided", None),
        (offset, "offset", None),
        (needle, "needle", 7.0),
        (sharp, "sharp-s", None),
        (loose, "low-end-loose", None),
        (leaps, "comes-3444", None),
        (cancels, "mono-loss", None),
        (edges, "hits-alone", None),
        (clipped, "clipped", None),
    ],
)
def test_every_fault_is_found_and_its_fix_mends_it(fault, name, at_s):
    x, recipe = fault(clean()), recipe_of()
    found = look(x, recipe)
    assert name in found, list(found)
    finding = found[name]
    assert finding.value > finding.threshold or name.endswith("-end-costs")
    assert any(figure.isdigit() for figure in finding.says)
    if at_s is not None:
        assert finding.at_s == pytest.approx(at_s, abs=0.1)
    if finding.fix:
        again = look(x, with_fix(recipe, finding)).get(name)
        assert again is None or again.value < 0.9 * finding.value


def test_a_stage_that_works_too_hard_is_said_so():
    recipe = recipe_of({"id": "hold", "kind": "compressor", "params": {"threshold_db": -45, "ratio": 6}})
    finding = look(clean(), recipe)["hard-hold"]
    assert finding.unit == "share of the time"
    assert finding.value > 0.5
    fixed = with_fix(recipe, finding)
    assert fixed.master[0].params.threshold_db == -42


def test_clipping_is_told_where_the_music_no_longer_covers_it():
    x = clean()
    x[:, : 7 * RATE_HZ] *= 0.3
    recipe = recipe_of({"id": "c", "kind": "clipper", "params": {"ceiling_db": -20}})
    finding = look(x, recipe)["heard-c"]
    assert finding.value > -20
    assert finding.at_s > 7
    assert "%" in finding.says
    assert look(x, with_fix(recipe, finding))["heard-c"].value < finding.value - 1
    assert "heard-c" not in look(x, recipe_of({"id": "c", "kind": "clipper", "params": {"ceiling_db": -8}}))


def test_dynamics_that_do_not_do_what_they_are_for_are_told():
    x = clean()
    pin = {"id": "p", "hz": 3000, "q": 1, "range_db": -4, "threshold_db": -80, "ratio": 100}
    found = look(x, recipe_of({"id": "d", "kind": "dynamic_equalizer", "params": {"bands": [pin]}}))
    assert "A static gain does the same" in found["restless-d-p"].says
    bands = [{"id": "a", "threshold_db": -50, "ratio": 6}, {"id": "b"}]
    recipe = recipe_of({"id": "b", "kind": "band_dynamics", "params": {"crossovers_hz": [800], "bands": bands}})
    corner = look(x, recipe)["voice-b-0"]
    assert corner.fix == "crossover to 2.5 kHz"
    fixed = with_fix(recipe, corner)
    assert fixed.master[0].params.crossovers_hz == (2500.0,)
    assert "voice-b-0" not in look(x, fixed)
    tamer = recipe_of(
        {"id": "t", "kind": "tamer", "params": {"threshold_db": -6, "strength": 1.0, "focus_low_hz": 100}}
    )
    assert look(x, tamer)["hard-t"].fix == "threshold +3 dB"
    holds = {"kind": "compressor", "params": {"threshold_db": -30, "ratio": 2}}
    twice = recipe_of({"id": "one", **holds}, {"id": "two", **holds})
    assert look(x, twice)["twice-one-two"].value > 0.85
    alone = recipe_of({"id": "one", **holds}, {"id": "two", **holds, "channels": "side"})
    assert "twice-one-two" not in look(x, alone)


def test_a_second_fix_of_the_same_kind_gets_a_name_of_its_own():
    finding = look(offset(clean()), recipe_of())["offset"]
    twice = with_fix(with_fix(recipe_of(), finding).model_copy(update={"groups": ()}), finding)
    assert [stage.id for stage in twice.master] == ["no-offset"]


def test_sections_are_proposed_where_the_music_changes():
    x = clean()
    x[:, : 7 * RATE_HZ] *= 0.1
    survey = survey_song(recipe_of(), {"mix": ArraySource(x, RATE_HZ)})
    proposed = propose_sections(survey)
    assert proposed[0][0] == 0
    assert proposed[-1][1] == SECONDS
    assert [start for start, _ in proposed[1:]] == pytest.approx([7], abs=1.0)


def test_the_panel_measures_a_passage():
    x = clean()
    x[:, 7 * RATE_HZ :] *= 2.0
    survey = survey_song(recipe_of(), {"mix": ArraySource(x, RATE_HZ)})
    soft, loud = (describe_passage(survey, a * RATE_HZ, b * RATE_HZ) for a, b in ((0, 7), (7, 14)))
    assert loud["integrated_lufs"] - soft["integrated_lufs"] == pytest.approx(6.02, abs=0.5)
    gained = np.array(loud["average_db"]) - np.array(soft["average_db"])
    assert np.median(gained) == pytest.approx(6.02, abs=0.3)
    assert soft["ranges"][0]["name"] == "lows"
    assert soft["ranges"][0]["side_share"] < 0.02 < soft["ranges"][2]["side_share"]


def test_a_tone_is_suggested_half_the_way_and_never_far():
    x, bright = clean(), clean()
    spectrum = np.fft.rfft(bright)
    spectrum[:, round(4000 * SECONDS) :] *= 10 ** (3 / 20)
    bright = np.fft.irfft(spectrum, T.size)
    now, reference = (survey_song(recipe_of(), {"mix": ArraySource(y, RATE_HZ)}) for y in (x, bright))
    found = suggest_tone(recipe_of({"kind": "limiter"}), now, reference, 0, reference.frames)
    equalizer = found.master[0]
    assert (equalizer.kind, found.master[1].kind) == ("equalizer", "limiter")
    gains = {band.id: band.gain_db for band in equalizer.params.bands}
    assert 0.4 <= gains["mid-9000"] <= 2.0
    assert all(abs(gain) <= 2.0 for gain in gains.values())
    assert suggest_tone(recipe_of(), now, now, 0, now.frames) is None
