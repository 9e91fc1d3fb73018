"""Transients and room: figures of the contract, ranges, energy, decay, plain twins of their kernels."""

import numpy as np
import pytest

from tests.conftest import RATE_HZ, noise, recipe_of, run, tone
from tin_kettle.core.dsp.reverberation import DIFFUSION, falls, lengths, reverberate
from tin_kettle.core.dsp.transients import FULL_DB, LEAST_DB, QUIETEST_DB, hits
from tin_kettle.core.engine.graph.graph import Graph


def played(block, *stages):
    graph = Graph(recipe_of(*stages), RATE_HZ)
    late = graph.delay
    return run(graph, np.concatenate([block, np.zeros((2, late))], axis=1))[:, late:]


def transients(**params):
    return {"kind": "transients", "params": params}


def room(mix=1.0, **params):
    return {"kind": "room", "mix": mix, "params": params}


def rise(seconds=1.0):
    """A tone that rises by 20 dB at half a second."""
    x = tone(5000, -26, 2 * seconds)
    x[:, round(seconds * RATE_HZ) :] *= 10.0
    return x


@pytest.mark.parametrize("speed_ms", [1, 5, 15, 50, 100])
@pytest.mark.parametrize(("attack_db", "body_db"), [(12, 0), (-12, 0), (6, -6), (0, 9)])
def test_a_rise_of_20_db_moves_as_the_contract_says(speed_ms, attack_db, body_db):
    x = rise()
    out = played(x, transients(attack_db=attack_db, body_db=body_db, speed_ms=speed_ms))
    at = RATE_HZ + 3
    first = slice(at, at + round(speed_ms * RATE_HZ / 1000))
    later = slice(at + round(2.5 * speed_ms * RATE_HZ / 1000), 2 * RATE_HZ - 100)

    def gain_db(part):
        return 20 * np.log10(np.linalg.norm(out[0, part]) / np.linalg.norm(x[0, part]))

    assert gain_db(first) == pytest.approx(attack_db, abs=2)
    assert gain_db(later) == pytest.approx(body_db, abs=0.3)


def test_transients_at_nought_are_transparent_and_a_range_is_all_pass():
    block = noise(-12, 1.0)
    np.testing.assert_array_equal(played(block, transients()), block)
    ranged = played(block, transients(low_hz=200, high_hz=4000))
    spectrum = [np.abs(np.fft.rfft(x[0])) for x in (block, ranged)]
    assert 20 * np.log10(spectrum[1][50:-50].mean() / spectrum[0][50:-50].mean()) == pytest.approx(0, abs=0.05)


def test_only_the_range_moves():
    low, high = tone(60, -20, 2), tone(3000, -20, 2)
    x = low + high
    out = played(x, transients(body_db=-12, low_hz=600, high_hz=20000))
    lines = np.abs(np.fft.rfft(out[0, -RATE_HZ:] * np.hanning(RATE_HZ))) * 4 / RATE_HZ
    assert 20 * np.log10(lines[60]) == pytest.approx(-20, abs=0.1)
    assert 20 * np.log10(lines[3000]) == pytest.approx(-32, abs=0.3)
    upside_down = played(x, transients(body_db=-12, low_hz=5000, high_hz=500))
    np.testing.assert_allclose(upside_down, x, atol=1e-12)


def test_a_steady_bass_note_is_no_row_of_hits():
    """50 Hz has a crest every 10 ms; after its beginning the gain stays where it is within a tenth of a dB."""
    x = tone(50, -12, 2)
    out = played(x, transients(attack_db=12, speed_ms=100))
    after = slice(RATE_HZ, 2 * RATE_HZ)
    assert 20 * np.log10(np.abs(out[:, after]).max() / np.abs(x[:, after]).max()) < 0.1


def test_hits_is_its_plain_twin():
    rng = np.random.default_rng(1)
    x = rng.standard_normal((2, 600)) * np.repeat([0.01, 1.0, 0.0], 200)
    attack, body = rng.uniform(-6, 6, (2, 600))
    out, state = np.empty((3, 600)), np.array([QUIETEST_DB, QUIETEST_DB, 0.0])
    hits(x, 0.02, 0.01, 0.2, attack, body, state, out)
    quick = slow = QUIETEST_DB
    share = 0.0
    for i in range(600):
        level = 20 * np.log10(max(np.abs(x[:, i]).max(), 1e-4))
        quick = max(level, quick - 0.02, QUIETEST_DB)
        slow = min(slow + 0.01 * (quick - slow), quick)
        share += 0.2 * (np.clip((quick - slow - LEAST_DB) / (FULL_DB - LEAST_DB), 0, 1) - share)
        np.testing.assert_allclose(out[:, i], [body[i] + share * (attack[i] - body[i]), quick, slow], atol=1e-8)


# ---- room ----------------------------------------------------------------------------------------------------------

OPEN = {"low_cut_hz": 20, "high_cut_hz": 20000}


@pytest.mark.parametrize("size", [0.0, 0.3, 1.0])
@pytest.mark.parametrize("decay_s", [0.3, 0.6, 2.0])
@pytest.mark.parametrize("width", [0.0, 0.5, 1.0])
def test_noise_comes_out_with_the_energy_that_it_came_in_with(size, decay_s, width):
    """So that mix means what it says: within 0.5 dB whatever the room, and whatever left and right have in common."""
    both = noise(-20, 6.0)
    for x in (both, np.stack([both[0], both[0]]), np.stack([both[0], -both[0]])):
        out = played(x, room(size=size, decay_s=decay_s, width=width, **OPEN))
        last = slice(3 * RATE_HZ, 6 * RATE_HZ)
        assert 20 * np.log10(np.linalg.norm(out[:, last]) / np.linalg.norm(x[:, last])) == pytest.approx(0, abs=0.5)


@pytest.mark.parametrize("size", [0.0, 0.3, 1.0])
@pytest.mark.parametrize("decay_s", [0.3, 0.6, 3.0])
def test_it_dies_away_by_60_db_in_the_time_that_is_set(size, decay_s):
    """By the slope of what is still to come (Schroeder 1965), from −5 to −45 dB."""
    click = np.zeros((2, round((1.3 * decay_s + 0.2) * RATE_HZ)))
    click[:, 0] = 1.0
    answer = played(click, room(size=size, decay_s=decay_s, **OPEN))
    left_db = 10 * np.log10(np.cumsum(np.sum(answer**2, axis=0)[::-1])[::-1] + 1e-30)
    left_db -= left_db[0]
    a, b = int(np.argmax(left_db < -5)), int(np.argmax(left_db < -45))
    assert 60 / (left_db[a] - left_db[b]) * (b - a) / RATE_HZ == pytest.approx(decay_s, rel=0.1)


@pytest.mark.parametrize("size", [0.2, 0.3, 0.5, 0.8])
def test_it_has_no_colour(size):
    """Third octaves of its answer from 160 Hz on, with nothing cut, lie within 2.5 dB of their mean."""
    click = np.zeros((2, 3 * RATE_HZ))
    click[:, 0] = 1.0
    answer = played(click, room(decay_s=1.0, size=size, **OPEN))
    power = (np.abs(np.fft.rfft(answer, axis=1)) ** 2).mean(axis=0)
    hz = np.fft.rfftfreq(answer.shape[1], 1 / RATE_HZ)
    bands = [power[(hz > f / 2 ** (1 / 6)) & (hz < f * 2 ** (1 / 6))].mean() for f in 160 * 2 ** (np.arange(19) / 3)]
    levels = 10 * np.log10(np.array(bands))
    assert np.abs(levels - levels.mean()).max() < 2.5


def test_its_sides_are_unlike_and_mono_costs_what_it_must():
    x = tone(1000, -20, 0.02)
    x = np.concatenate([x, np.zeros((2, RATE_HZ))], axis=1)
    wide, mono = (played(x, room(width=w, **OPEN)) for w in (1.0, 0.0))
    assert abs(np.corrcoef(wide)[0, 1]) < 0.5
    np.testing.assert_allclose(mono[0], mono[1], atol=1e-12)


def test_cuts_silence_what_is_outside():
    x = tone(60, -20, 2) + tone(15000, -20, 2)
    out = played(x, room(low_cut_hz=500, high_cut_hz=3000))
    assert 20 * np.log10(np.abs(out).max()) < -20 - 12


def test_reverberate_is_its_plain_twin():
    rng = np.random.default_rng(2)
    delays, diffusers = lengths(0.0, 8000)
    fall = falls(delays, 0.4, 8000)
    x = rng.standard_normal((2, 700))
    block = x.copy()
    rings, diffusing = np.zeros((8, delays.max())), np.zeros((2, 3, diffusers.max()))
    reverberate(block, delays, diffusers, fall, rings, diffusing, np.zeros(14, dtype=np.int64))
    fed = x.copy()
    for side in range(2):
        for d in diffusers[side]:
            through, inner = np.zeros(700), np.zeros(700)
            for i in range(700):
                before = inner[i - d] if i >= d else 0.0
                inner[i] = fed[side, i] - DIFFUSION * before
                through[i] = before + DIFFUSION * inner[i]
            fed[side] = through
    hadamard = np.array([[1 - 2 * (bin(i & j).count("1") % 2) for j in range(8)] for i in range(8)]) / np.sqrt(8)
    lines = np.zeros((8, 700))
    out = np.zeros((2, 700))
    for i in range(700):
        o = np.array([lines[k, i - d] if i >= d else 0.0 for k, d in enumerate(delays)])
        out[:, i] = o[0] - o[2] + o[4] - o[6], o[1] - o[3] + o[5] - o[7]
        lines[:, i] = hadamard @ (fall * o) + np.array([fed[k % 2, i] for k in range(8)])
    np.testing.assert_allclose(block, out, atol=1e-10)
