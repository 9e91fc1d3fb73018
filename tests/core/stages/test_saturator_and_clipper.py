"""Saturator and clipper: curves by their formulas, what folds back, what stays untouched, plain twins."""

import numpy as np
import pytest

from tests.conftest import RATE_HZ, music, noise, recipe_of, run, tone
from tin_kettle.core.dsp.oversampling import Oversampling, doubled, halved
from tin_kettle.core.dsp.waveshaping import (
    ASYMMETRIC,
    FIRM,
    HARD,
    SOFT,
    cornered,
    crests_taken,
    peaks_told,
    shape,
    share_added,
)
from tin_kettle.core.engine.graph.graph import Graph
from tin_kettle.core.errors import RecipeError
from tin_kettle.core.stages import KINDS
from tin_kettle.core.stages.oversampled_shaper import HISTOGRAM_DB
from tin_kettle.core.stages.saturator import CURVES, harmonics_db


def played(block, *stages):
    graph = Graph(recipe_of(*stages), RATE_HZ)
    late = graph.delay
    return run(graph, np.concatenate([block, np.zeros((2, late))], axis=1))[:, late:]


def saturator(**params):
    return {"kind": "saturator", "params": params}


def clipper(**params):
    return {"kind": "clipper", "params": params}


def db(x):
    return 20 * np.log10(max(float(np.abs(x).max()), 1e-15))


@pytest.mark.parametrize(("name", "curve"), CURVES.items())
def test_every_curve_rises_by_one_at_nought_and_levels_off_at_one(name, curve):
    x = np.linspace(-40, 40, 80001)
    y = curve(x)
    assert (curve(np.array([1e-6])) - curve(np.array([-1e-6])))[0] / 2e-6 == pytest.approx(1, abs=1e-5)
    assert np.abs(y).max() == pytest.approx(1, abs=1e-12)
    assert np.all(np.diff(y) >= -1e-12)
    if name != "asymmetric":
        np.testing.assert_allclose(y, -curve(-x), atol=1e-12)


def test_curves_are_those_of_the_manual():
    x = np.linspace(-1.4, 1.4, 29)
    u = 8 / 15 * x
    np.testing.assert_allclose(SOFT(x), 15 / 8 * u - 10 / 8 * u**3 + 3 / 8 * u**5, atol=1e-12)
    np.testing.assert_allclose(FIRM(x), x - 4 / 27 * x**3, atol=1e-12)
    np.testing.assert_allclose(cornered(0.0)(x), np.clip(x, -1, 1), atol=1e-12)
    bent = (np.abs(x) > 0.9) & (np.abs(x) < 1.1)
    np.testing.assert_allclose(np.abs(HARD(x[bent])), np.abs(x[bent]) - (np.abs(x[bent]) - 0.85) ** 2 / 0.6, atol=1)


@pytest.mark.parametrize("curve", CURVES)
@pytest.mark.parametrize("oversampling", [1, 2, 4, 8])
def test_a_slow_tone_meets_the_curve_itself(curve, oversampling):
    block = tone(200 if curve == "asymmetric" else 30, 0, 0.5)
    out = played(block, saturator(curve=curve, drive_db=9, link_trim=False, oversampling=oversampling))
    wanted = CURVES[curve](block * 10 ** (9 / 20))
    if curve == "asymmetric":
        # its offset is taken out, slowly: the shape is the same about another middle
        out, wanted = (x - x.mean(axis=1, keepdims=True) for x in (out[:, 8000:16000], wanted[:, 8000:16000]))
    assert np.abs(out - wanted)[:, 400:-400].max() < (0.05 if curve == "asymmetric" else 1e-3)


def folded_db(curve, level_db, drive_db=12):
    """The loudest false tone up to 20 kHz of a tone near 9 kHz, against the tone itself."""
    out = played(tone(9007, level_db, 2), saturator(curve=curve, drive_db=drive_db))[0, RATE_HZ // 2 :][:RATE_HZ]
    lines = np.abs(np.fft.rfft(out * np.hanning(RATE_HZ)))
    hz = np.arange(lines.size)
    false = (hz < 20000) & (hz > 20)
    for own in (9007, 18014):
        false &= np.abs(hz - own) > 6
    return 20 * np.log10(lines[false].max() / lines[9007])


@pytest.mark.parametrize(("curve", "most"), [("soft", -105), ("asymmetric", -105), ("firm", -90), ("hard", -90)])
@pytest.mark.parametrize("level_db", [0, -3, -6])
def test_little_folds_back(curve, most, level_db):
    assert folded_db(curve, level_db) <= most


@pytest.mark.parametrize("curve", ["soft", "firm", "hard"])
@pytest.mark.parametrize("oversampling", [1, 2, 4, 8])
def test_quiet_sounds_stay_as_they_are(curve, oversampling):
    block = noise(-80, 0.5)
    out = played(block, saturator(curve=curve, drive_db=12, oversampling=oversampling))
    assert db(out - block) - db(block) < -85
    assert db(out - block) < -160


@pytest.mark.parametrize("emphasis_db", [6, 24])
def test_emphasis_cancels(emphasis_db):
    block = noise(-90, 0.5)
    on, off = (
        played(block, saturator(emphasis_on=on, emphasis_db=emphasis_db, emphasis_hz=1000)) for on in (True, False)
    )
    assert db(on - off) - db(block) < -120


def test_emphasis_leaves_the_lows_alone():
    """A low tone comes through as it would; a high one is shaped that would not be."""
    low, high = (
        played(tone(hz, -6, 1), saturator(curve="hard", emphasis_on=True, emphasis_db=18, emphasis_hz=4000))
        for hz in (100, 10000)
    )
    assert db(low[:, 10000:-10000] - tone(100, -6, 1)[:, 10000:-10000]) < -80
    assert db(high[:, 10000:-10000] - tone(10000, -6, 1)[:, 10000:-10000]) > -20


@pytest.mark.parametrize("stage", [saturator(amount=0, drive_db=20, emphasis_on=True), clipper(ceiling_db=0)])
def test_what_does_nothing_is_transparent(stage):
    block = noise(-20, 0.5)
    np.testing.assert_array_equal(played(block, stage), block)


@pytest.mark.parametrize("mix", [0.0, 0.3, 0.7])
def test_dry_and_wet_are_in_phase_at_any_mix(mix):
    block = music(1.0)
    stage = clipper(ceiling_db=-18)
    wet = played(block, stage)
    np.testing.assert_allclose(played(block, {**stage, "mix": mix}), (1 - mix) * block + mix * wet, atol=1e-12)


def test_the_clipper_holds_a_slow_peak_and_spares_the_lows():
    hit = tone(50, -1, 1) + tone(3000, -3, 1)
    spared = played(hit, clipper(ceiling_db=-12, spare_below_hz=250))
    lows = played(tone(50, -1, 1), clipper(ceiling_db=-12, spare_below_hz=250))
    # all-pass of the crossover, but not cut
    assert db(lows[:, 20000:28000]) == pytest.approx(-1, abs=0.1)
    assert db(spared) > -3
    assert db(played(tone(200, 0, 1), clipper(ceiling_db=-12))) == pytest.approx(-12, abs=0.05)
    assert db(played(tone(200, 0, 1), clipper(ceiling_db=-12, knee=1))) < -12.0 + 0.05


def test_spared_lows_are_in_phase_with_the_dry_sound():
    """A null where nothing is cut: what it removes of quiet music is nothing, at any mix."""
    graph = Graph(recipe_of({**clipper(spare_below_hz=120), "id": "c"}), RATE_HZ)
    graph.tap("c", "removed")
    assert db(run(graph, noise(-40, 1.0))) < -140


def test_softening_takes_the_edge_off_what_is_added():
    def added_above(**more):
        x = tone(1000, 0, 1)
        extra = played(x, clipper(ceiling_db=-6, **more)) - x
        lines = np.abs(np.fft.rfft(extra[0] * np.hanning(extra.shape[1])))
        return 10 * np.log10(np.sum(lines[8000:20000] ** 2))

    assert added_above() - added_above(soften_above_hz=2000) > 9


def test_what_is_removed_is_what_the_curve_takes():
    graph = Graph(recipe_of({**saturator(drive_db=12, trim_db=-3), "id": "s"}), RATE_HZ)
    graph.tap("s", "removed")
    assert db(run(graph, noise(-60, 0.5))) < -130, "of a quiet sound nothing, whatever its level afterwards"


def test_peaks_are_told_and_counted():
    graph = Graph(recipe_of({**clipper(ceiling_db=-6), "id": "c"}), RATE_HZ)
    node = next(iter(graph.nodes()))
    node.metered = True
    run(graph, tone(500, 0, 0.5))
    assert node.reading.rows["effort_db"][1].min() == pytest.approx(-6, abs=0.1)
    curves = node.instance.processor.curves()
    above = HISTOGRAM_DB[:-1] >= 0
    assert curves["share_before"][:-1][above].max() > 0.5
    assert curves["share_after"][:-1][above][1:].max() < 0.02, "nothing above the ceiling"
    assert np.abs(curves["scope_before"]).max() == pytest.approx(1, abs=0.05)
    assert np.abs(curves["scope_after"]).max() == pytest.approx(0.5, abs=0.02)


def test_what_is_taken_off_is_of_the_sound_itself():
    """Highs that meet the curve 18 dB earlier, and are given back as much lower, lose what the ear would say."""
    stage = saturator(curve="hard", emphasis_on=True, emphasis_db=18, emphasis_hz=2000)
    graph = Graph(recipe_of({**stage, "id": "s"}), RATE_HZ)
    node = next(iter(graph.nodes()))
    node.metered = True
    block = tone(100, -3, 0.5) + tone(9000, -30, 0.5)
    out = run(graph, block)
    late = graph.delay
    lost = 20 * np.log10(np.abs(out[:, 9600 + late :]).max() / np.abs(block[:, 9600:-late]).max())
    assert node.reading.rows["effort_db"][1].min() == pytest.approx(lost, abs=0.5)


def test_harmonics_of_a_curve():
    even = harmonics_db(SOFT, 1.0)[::2]
    assert even.max() < -120, "the same both ways: odd ones only"
    assert harmonics_db(ASYMMETRIC, 0.5)[0] > -40


def test_what_is_not_allowed_is_refused_by_name():
    with pytest.raises(RecipeError, match="oversampling"):
        recipe_of(saturator(oversampling=3))


# ---- plain twins ---------------------------------------------------------------------------------------------------


def test_doubling_and_halving_are_their_plain_twins():
    rng = np.random.default_rng(3)
    taps = rng.standard_normal(4)
    joined = rng.standard_normal((2, 7 + 50))
    out = np.empty((2, 103))
    doubled(joined, taps, 3, out)
    out = out[:, 3:]
    whole = np.concatenate([taps, taps[::-1]])
    for row in range(2):
        between = [whole @ joined[row, i : i + 8] for i in range(50)]
        np.testing.assert_allclose(out[row, ::2], between, atol=1e-12)
        np.testing.assert_array_equal(out[row, 1::2], joined[row, 4:54])
    half = rng.standard_normal(6)
    whole = np.concatenate([half, half[-2::-1]])
    joined = rng.standard_normal((2, 10 + 60))
    out = np.empty((2, 32))
    halved(joined, np.ascontiguousarray(half[::2]), np.ascontiguousarray(half[1::2]), 11, 2, out)
    out = out[:, 2:]
    for row in range(2):
        np.testing.assert_allclose(out[row], [whole @ joined[row, 2 * i : 2 * i + 11] for i in range(30)], atol=1e-12)


@pytest.mark.parametrize("reach", [3.0, 0.9])
@pytest.mark.parametrize("curve", [SOFT, FIRM, HARD, ASYMMETRIC, cornered(0.0), cornered(1.0)])
def test_shaping_is_the_mean_over_all_mixtures_of_three_samples(curve, reach):
    """Against the integral done by brute force, on a grid over the triangle of their shares.

    Beyond the bend by quotients, within it by powers.
    """
    rng = np.random.default_rng(4)
    drawn = [rng.uniform(-reach, reach, 40), np.repeat(rng.uniform(-reach, reach, 4), 4), rng.uniform(-0.1, 0.1, 10)]
    x = np.concatenate(drawn)
    joined = np.stack([x, -x])
    out = np.empty((2, x.size - 2))
    shape(joined, curve.constants, True, 0, out)
    a, b = ((grid + 0.5) / 300 for grid in np.meshgrid(np.arange(300), np.arange(300)))
    a, b = np.where(a + b > 1, 1 - a, a), np.where(a + b > 1, 1 - b, b)
    for row in range(2):
        v = joined[row]
        for i in range(x.size - 2):
            mixed = a * v[i] + b * v[i + 1] + (1 - a - b) * v[i + 2]
            assert out[row, i] == pytest.approx(np.mean(curve(mixed) - mixed), abs=2e-5)
    plainly = np.empty_like(out)
    shape(joined, curve.constants, False, 0, plainly)
    np.testing.assert_allclose(plainly, curve(joined[:, 2:]) - joined[:, 2:], atol=1e-12)


def test_peaks_told_is_its_plain_twin():
    rng = np.random.default_rng(5)
    before, added = rng.standard_normal((2, 42)), 0.1 * rng.standard_normal((2, 43))
    out, met = np.empty(10), np.zeros((2, 41))
    peaks_told(before, added, 1, 3, 4, out, met)
    levels = []
    for i in range(10):
        x, y = before[:, 1 + 4 * i : 5 + 4 * i], added[:, 3 + 4 * i : 7 + 4 * i]
        levels.append([20 * np.log10(np.abs(z).max()) for z in (x, x + y)])
    np.testing.assert_allclose(out, np.array(levels)[:, 0], atol=1e-9)
    for row, found in zip(met, np.array(levels).T, strict=True):
        np.testing.assert_array_equal(row, np.histogram(found, np.append(HISTOGRAM_DB, np.inf))[0])


def test_crests_taken_is_its_plain_twin():
    rng = np.random.default_rng(6)
    before, after = rng.standard_normal((2, 2, 50)) * [[[1.0]], [[0.7]]]
    out = np.empty((1, 50))
    crests_taken(before, after, 0.9, np.zeros(2), out)
    came = left = 0.0
    for i in range(50):
        came, left = (max(0.9 * e, np.abs(x[:, i]).max()) for e, x in ((came, before), (left, after)))
        assert out[0, i] == pytest.approx(min(20 * np.log10(left / came), 0), abs=1e-9)


@pytest.mark.parametrize("factor", [2, 4, 8])
def test_there_and_back_is_a_whole_delay_and_flat_to_20_khz(factor):
    """With the mean of three in between, that it makes up for."""
    over = Oversampling(factor)
    state = {name: array.copy() for name, array in over.silence.items()}
    click = np.zeros((2, 2048))
    click[:, 100] = 1.0
    late = over.up(click, state, 2)
    late[:, :2] = 0.0
    raised = np.pad((late[:, 2:] + late[:, 1:-1] + late[:, :-2]) / 3, ((0, 0), (over.room, 0)))
    out = over.down(raised, state)
    assert int(np.argmax(out[0])) == 100 + over.delay
    response = np.abs(np.fft.rfft(out[0]))
    passed = np.arange(response.size) <= 0.4535 * 2048
    assert np.abs(20 * np.log10(response[passed])).max() < 0.01


def test_what_is_new_above_2_khz_is_its_plain_twin():
    rng = np.random.default_rng(7)
    added, sound, state, out = 0.1 * rng.standard_normal((2, 60)), rng.standard_normal((2, 60)), np.zeros(2), None
    out = np.empty((1, 60))
    share_added(added, sound, 0.05, state, out)
    new = whole = 0.0
    for i in range(60):
        new += 0.05 * ((added[:, i] ** 2).sum() - new)
        whole += 0.05 * ((sound[:, i] ** 2).sum() - whole)
        assert out[0, i] == pytest.approx(10 * np.log10(new / whole), abs=1e-9)
    assert state == pytest.approx([new, whole])


@pytest.mark.parametrize("block", [256, 4096])
def test_a_clipper_tells_how_many_samples_it_cuts_and_how_often(block):
    """Seven bursts above the ceiling; the crests of one belong together."""
    x = tone(1000, -20, 2)
    over = 0
    for at in range(7):
        burst = slice(4800 + at * 12000, 4800 + at * 12000 + 2400)
        x[:, burst] *= 4.0
        over += int((np.abs(x[0, burst]) > 0.25).sum())
    graph = Graph(recipe_of({"id": "c", **clipper(ceiling_db=20 * np.log10(0.25))}), RATE_HZ)
    for at in range(0, x.shape[1], block):
        run(graph, np.ascontiguousarray(x[:, at : at + block]), at)
    told = graph.node("c").instance.processor.over_song()
    assert told["over_times"] == [7]
    # a frame counts whose neighbourhood is over: one more at either end of each of 700 half waves
    assert over <= told["over_frames"][0] <= over + 2 * 700
    assert KINDS["clipper"].told(told).endswith("samples over the ceiling, 7 times")
