"""A record in time: gaps, crossfades, fades and levels, sample by sample; and what stands out on it."""

import numpy as np
import pytest

from tests.conftest import RATE_HZ, music, noise, recipe_of, tone
from tin_kettle.core.dsp.fades import fade_gains
from tin_kettle.core.engine.source import ArraySource
from tin_kettle.core.errors import AudioError
from tin_kettle.core.record.document import SongLayout
from tin_kettle.core.record.layout import Excerpts, RecordSource, sounding_s
from tin_kettle.core.record.outliers import relative_tones, standing_out
from tin_kettle.core.survey.survey import survey_song


def ones(seconds, level=1.0, rate_hz=RATE_HZ):
    return ArraySource(np.full((2, round(seconds * rate_hz)), level), rate_hz)


def laid_out(*songs):
    return RecordSource([(source, SongLayout(**laid)) for source, laid in songs])


def whole(source, block=977):
    return np.concatenate(
        [source.read(at, min(block, source.frames - at)) for at in range(0, source.frames, block)], axis=1
    )


def test_songs_follow_each_other_with_their_gaps_at_their_levels():
    record = laid_out((ones(1.0), {"gap_s": 9.0}), (ones(2.0), {"gap_s": 0.5, "gain_db": -6.0206}))
    assert record.starts == [0, 72000], "no gap before the first"
    assert record.frames == 72000 + 96000
    y = whole(record)[0]
    np.testing.assert_allclose(y[:48000], 1.0)
    np.testing.assert_allclose(y[48000:72000], 0.0)
    np.testing.assert_allclose(y[72000:], 0.5, atol=1e-5)


def test_a_gap_below_nought_crosses_two_songs_and_power_stays():
    fades = {"fade_shape": "power", "fade_in_s": 1.0, "fade_out_s": 1.0}
    first, second = (ArraySource(noise(-12, 4.0, seed=seed), RATE_HZ) for seed in (1, 2))
    record = laid_out((first, fades), (second, {"gap_s": -1.0, **fades}))
    assert record.starts == [0, 3 * RATE_HZ]
    y = whole(record)
    power = (y**2).mean(axis=0)[: 7 * RATE_HZ].reshape(-1, RATE_HZ // 4).mean(axis=1)
    across = power[13:15] / power[6:10].mean()
    np.testing.assert_allclose(10 * np.log10(across), 0.0, atol=0.3)


def test_reading_does_not_depend_on_the_block_nor_on_where_one_begins():
    record = laid_out(
        (ArraySource(music(2.0), RATE_HZ), {"fade_in_s": 0.3, "start_s": 0.2}),
        (ArraySource(music(1.5), RATE_HZ), {"gap_s": -0.4, "fade_out_s": 0.5, "end_s": 1.2, "fade_shape": "line"}),
    )
    np.testing.assert_array_equal(whole(record, 977), whole(record, 50000))
    np.testing.assert_array_equal(record.read(70000, 500), whole(record)[:, 70000:70500])
    assert not record.read(record.frames, 10).any()


def test_trims_leave_what_is_between_and_never_nothing():
    ramp = np.arange(RATE_HZ) / RATE_HZ
    song = ArraySource(np.stack([ramp, ramp]), RATE_HZ)
    record = laid_out((song, {"start_s": 0.25, "end_s": 0.75}))
    np.testing.assert_allclose(whole(record)[0], ramp[12000:36000])
    with pytest.raises(AudioError, match="nothing is left of a song of 1 s"):
        laid_out((song, {"start_s": 2.0}))
    with pytest.raises(AudioError, match="rates differ"):
        laid_out((song, {}), (ones(1.0, rate_hz=44100), {}))
    with pytest.raises(AudioError, match="no songs"):
        RecordSource([])


def test_only_the_joins_are_eight_seconds_of_both_sides():
    record = laid_out((ones(20.0), {}), (ones(30.0), {"gap_s": 3.0}), (ones(5.0), {"gap_s": 0.0}))
    assert record.joins() == [
        (12 * RATE_HZ, 31 * RATE_HZ),
        (45 * RATE_HZ, 58 * RATE_HZ),
    ]
    joins = Excerpts(record, record.joins())
    assert joins.starts == [0, 19 * RATE_HZ]
    assert joins.frames == 32 * RATE_HZ
    y = whole(joins)[0]
    np.testing.assert_allclose(y[RATE_HZ : 8 * RATE_HZ], 1.0)
    np.testing.assert_allclose(y[8 * RATE_HZ : 11 * RATE_HZ], 0.0)
    assert abs(y[19 * RATE_HZ]) < 1e-3, "a passage begins softly"
    with pytest.raises(AudioError, match="no joins"):
        Excerpts(record, [])


@pytest.mark.parametrize("shape", ["line", "smooth", "power"])
def test_fades_begin_and_end_at_nought_and_rise_all_the_way(shape):
    gains = fade_gains(0, 1000, 1000, 200, 300, shape)
    assert gains[0] == gains[-1] == 0.0
    assert np.all(np.diff(gains[:200]) > 0)
    assert np.all(np.diff(gains[700:]) < 0)
    np.testing.assert_allclose(gains[250:650], 1.0)


@pytest.fixture(scope="module")
def surveys():
    """Three alike, one louder, one brighter."""
    quiet = music(12.0) * 0.25
    bright = quiet + 6.0 * np.diff(quiet, prepend=0.0, axis=1)
    sounds = {"a": quiet, "loud": quiet * 2.0, "bright": bright}
    return {name: survey_song(recipe_of(), {"mix": ArraySource(x, RATE_HZ)}) for name, x in sounds.items()}


def test_what_is_louder_than_the_rest_stands_out_until_its_level_is_set(surveys):
    row = [surveys[name] for name in ("a", "a", "loud", "a")]
    found = standing_out([(survey, SongLayout()) for survey in row])
    louder = [one for one in found if one.unit == "LU" and len(one.songs) == 1]
    assert [(one.songs, one.value) for one in louder] == [((3,), pytest.approx(6.02, abs=0.05))]
    assert louder[0].says == "6 dB louder than the rest"
    evened = [SongLayout(), SongLayout(), SongLayout(gain_db=-6.0), SongLayout()]
    assert standing_out(list(zip(row, evened, strict=True))) == []


def test_tone_is_measured_apart_from_loudness(surveys):
    row = [surveys[name] for name in ("a", "loud", "bright", "a")]
    relative, band = relative_tones(row)
    np.testing.assert_allclose(relative[0], relative[1], atol=0.01)
    assert (band[0] <= band[1]).all()
    told = [one for one in standing_out([(survey, SongLayout()) for survey in row]) if one.unit == "dB"]
    assert {one.songs for one in told} == {(3,)}
    assert all(one.value > 3 for one in told if "top" in one.says)


def test_a_join_that_jumps_is_told_with_both_songs(surveys):
    loud_end = np.concatenate([tone(440, -30, 10.0), tone(440, -8, 10.0)], axis=1)
    first = survey_song(recipe_of(), {"mix": ArraySource(loud_end, RATE_HZ)})
    found = standing_out([(first, SongLayout()), (surveys["a"], SongLayout())])
    join = next(one for one in found if len(one.songs) == 2)
    assert join.songs == (1, 2)
    assert "the level falls by" in join.says
    # the loud end cut off, nothing jumps there
    again = standing_out([(first, SongLayout(end_s=9.5)), (surveys["a"], SongLayout())])
    assert not [one for one in again if len(one.songs) == 2 and one.value < -5]
    assert standing_out([(first, SongLayout())]) == []


def test_silence_about_a_song_is_found_with_a_breath_left():
    energy = np.concatenate([np.zeros(200), np.full(300, 1e-3), np.geomspace(1e-3, 1e-9, 300)])
    start, end = sounding_s(energy)
    assert start == pytest.approx(1.9)
    assert end == pytest.approx(5.0 + 2.0 + 0.1, abs=0.02), "the fade below -70 dB is not missed"
    assert sounding_s(np.zeros(100)) == (0.0, 1.0), "silence is left as it is"
    assert sounding_s(np.ones(50)) == (0.0, 0.5)
