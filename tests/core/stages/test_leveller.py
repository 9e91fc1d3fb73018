"""Leveller: notes are evened as a whole, single loud ones come down, nothing pumps; a plain twin of the kernel."""

import numpy as np
import pytest

from tests.conftest import RATE_HZ, music, noise, recipe_of, run, tone
from tin_kettle.core.dsp.note_gains import NoteSpans, levelling_db
from tin_kettle.core.engine.graph.graph import Graph
from tin_kettle.core.stages.leveller import spans_of


def leveller(**params):
    return {"kind": "leveller", "params": params}


def played(block, *stages):
    graph = Graph(recipe_of(*stages), RATE_HZ)
    late = graph.delay
    return run(graph, np.concatenate([block, np.zeros((2, late))], axis=1))[:, late:]


def notes(levels_db, seconds, hz=220.0):
    frames = round(seconds * RATE_HZ)
    return tone(hz, -16, len(levels_db) * seconds) * 10 ** (np.repeat(levels_db, frames) / 20)


def levels_db(block, count):
    return 10 * np.log10(np.mean(block[0].reshape(count, -1) ** 2, axis=1))


@pytest.mark.parametrize("seconds", [0.25, 0.5, 1, 2])
@pytest.mark.parametrize("hz", [60, 1000])
def test_notes_eight_db_apart_end_at_most_four_apart(seconds, hz):
    count = round(24 / seconds)
    out = played(notes(np.arange(count) % 2 * -8.0, seconds, hz), leveller(reach_db=6.0))
    assert np.abs(np.diff(levels_db(out, count)))[count // 3 :].max() < 4.0


@pytest.mark.parametrize("seconds", [0.25, 0.5, 1, 2])
def test_a_single_loud_note_comes_down_and_the_next_one_is_left_alone(seconds):
    block = notes(np.where(np.arange(24) % 8 == 4, 0.0, -8.0), seconds)
    gains_db = levels_db(played(block, leveller(reach_db=6.0)), 24) - levels_db(block, 24)
    assert gains_db[12] < -0.6 * 6
    assert np.abs(gains_db[13:20]).max() < 1.5


def test_a_note_that_fades_keeps_its_shape():
    fades = 10 ** (-np.arange(RATE_HZ) / RATE_HZ * 15 / 20)
    strokes = [tone(110, -16 - 6 * (number % 2), 1.0) * fades for number in range(12)]
    block = np.concatenate(strokes, axis=1)
    out = played(block, leveller(reach_db=6.0))
    for number in range(6, 12):
        inside = slice(number * RATE_HZ + 1000, (number + 1) * RATE_HZ - 1000)
        heard = np.abs(block[0, inside]) > 1e-3
        assert np.ptp(20 * np.log10(out[0, inside][heard] / block[0, inside][heard])) < 0.01


def test_rests_are_not_raised():
    rest = np.concatenate([tone(220, -20, 4), noise(-70, 4)], axis=1)
    quiet = played(rest, leveller(reach_db=12.0, speed_s=0.3))
    assert 10 * np.log10(np.mean(quiet[:, -48000:] ** 2) / np.mean(rest[:, -48000:] ** 2)) < 0.1


def test_slow_it_evens_phrases_and_leaves_notes():
    notes_db = np.tile([0.0, -8.0], 40)
    phrases = notes(notes_db + np.repeat([0.0, -6.0, 0.0, -6.0], 20), 0.5)
    out = played(phrases, leveller(reach_db=6.0, speed_s=5.0))
    within = np.abs(np.diff(levels_db(out, 80)))[1:]
    assert np.median(within) > 5
    means = levels_db(out[:, 20 * RATE_HZ :], 2)
    assert abs(means[0] - means[1]) < 4.5


def test_it_does_not_pump():
    """Beats of a kick every half second move the gain by less than 0.2 dB from hit to gap."""
    block = music(20.0)
    graph = Graph(recipe_of(leveller(reach_db=6.0)), RATE_HZ)
    graph.meter(True)
    rows = []
    for at in range(0, block.shape[1], 48000):
        run(graph, block[:, at : at + 48000].copy(), at)
        rows.append(graph.readings()["s0"].rows["effort_db"][1][:187])
    gain = np.concatenate(rows)[187 * 6 :]
    beat = 94
    swings = [np.ptp(gain[at : at + beat]) for at in range(0, gain.size - beat, beat)]
    assert np.median(swings) < 0.2


def test_without_reach_it_is_transparent():
    block = noise(-20, 0.2)
    np.testing.assert_array_equal(played(block, leveller()), block)
    silence = np.zeros((2, RATE_HZ))
    np.testing.assert_array_equal(played(silence, leveller(reach_db=6.0)), silence)


def plain_notes(power, spans):
    """Where notes begin, by going through the whole sound with all of it at hand."""
    sums = np.concatenate([np.zeros(1 + 2 * spans.window), np.cumsum(power)])
    floor = 1e-7 * spans.window
    middle = sums[spans.window : -spans.window]
    rise = (sums[2 * spans.window :] - middle + floor) / (middle - sums[: -2 * spans.window] + floor)
    ratios = np.maximum(rise, 1 / rise)  # of the border at frame: −window + its place
    begins, newest, peak, peak_at = [], -spans.judged, 0.0, 0
    for place, ratio in enumerate(ratios[1:], 1):
        frame = place - spans.window
        if frame < newest + spans.judged:
            peak = -ratio
        elif ratio <= 10**0.25:
            peak = max(peak, 0)
        elif ratio > abs(peak):
            peak, peak_at = ratio, frame
        if (peak > 0 and frame - peak_at >= spans.window) or frame - newest >= spans.longest:
            newest = peak_at if peak > 0 and frame - peak_at >= spans.window else frame
            begins.append(max(newest, 0))
            peak = 0.0
    return begins


def test_the_kernel_is_its_plain_twin_whatever_the_blocks_are():
    spans = NoteSpans(window=40, judged=110, longest=700, ramp=10, lead=5, ahead=210)
    rng = np.random.default_rng(5)
    block = noise(-20, 0.15) * np.repeat(10 ** (rng.uniform(-30, 0, 24) / 20), 300)
    slow, reach_db = 1e-3, 6.0
    power = np.mean(block**2, axis=0)
    begins = plain_notes(power, spans)
    assert len(begins) > 10
    gain = average = weight = ramp_left = step = 0.0
    level, wanted = -200.0, []
    for frame in range(-spans.ahead, power.size - spans.ahead):
        if begins and frame + spans.lead >= begins[0]:
            begin = begins.pop(0)
            until = min(begin + spans.judged, *begins[:1], power.size) if begins else begin + spans.judged
            level = 10 * np.log10(np.mean(power[begin:until]))
            average = average if weight else level
            below = average - level
            target = np.clip(below, -reach_db, reach_db) * np.clip((24 - below) / 12, 0, 1)
            ramp_left, step = spans.ramp, (target - gain) / spans.ramp
        if ramp_left:
            gain, ramp_left = gain + step, ramp_left - 1
        if level > -70 and level > average - 12:
            weight += slow * (1 - weight)
            average += slow / weight * np.clip(level - average, -3, 3)
        wanted.append((gain, level, average))
    state = spans.silence()
    told = np.empty((3, power.size))
    at = 0
    while at < power.size:
        frames = int(rng.integers(1, 700))
        part = np.ascontiguousarray(block[:, at : at + frames])
        found = np.empty((3, part.shape[1]))
        levelling_db(part, spans.row, reach_db, slow, *state.values(), found)
        told[:, at : at + frames] = found
        at += frames
    np.testing.assert_allclose(told.T, wanted, atol=1e-6)


@pytest.mark.parametrize("rate_hz", [44100, 192000])
def test_every_speed_has_room_for_what_it_looks_at_and_the_same_delay(rate_hz):
    several = [spans_of(speed_s, rate_hz) for speed_s in (0.1, 0.8, 5.0)]
    for spans in several:
        assert 2 <= spans.window < spans.judged < spans.longest
        assert spans.judged + 2 * spans.window + spans.lead <= spans.ahead
    assert len({spans.ahead for spans in several}) == 1
