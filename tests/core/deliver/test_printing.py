"""Dither, rate conversion, band-limit, formats: the last steps to a file."""

import gc
import hashlib
from contextlib import suppress

import numpy as np
import pytest
import soundfile
from scipy.signal import resample_poly

from tests.conftest import RATE_HZ, music, noise, recipe_of, tone, write_wav
from tin_kettle.core.deliver import formats
from tin_kettle.core.deliver.broadcast import add_chunk, bext_chunk
from tin_kettle.core.deliver.check import container_of
from tin_kettle.core.deliver.convert import band_limit, convert_rate, in_pieces
from tin_kettle.core.deliver.dither import Quantiser
from tin_kettle.core.deliver.printing import PrintSettings, print_song
from tin_kettle.core.engine.measure_file import measure_file
from tin_kettle.core.engine.source import ArraySource, FileSource
from tin_kettle.core.errors import AudioError, Cancelled


def pieces(x, size=3000):
    return iter([np.ascontiguousarray(x[:, at : at + size]) for at in range(0, x.shape[1], size)])


def joined(blocks):
    return np.concatenate(list(blocks), axis=1)


def printed(tmp_path, x, name="out.wav", recipe=None, rate_hz=RATE_HZ, progress=None, **settings):
    path = tmp_path / name
    done = print_song(
        recipe or recipe_of(), {"mix": ArraySource(x, rate_hz)}, path, PrintSettings(**settings), progress
    )
    samples, rate = soundfile.read(str(path), always_2d=True)
    return samples.T, rate, done


@pytest.mark.parametrize("bits", [16, 24])
def test_tpdf_dither_has_its_known_noise_and_leaves_no_distortion(bits):
    step = 2.0 ** (1 - bits)
    x = np.full((2, 200000), 0.3 * step)
    error = Quantiser(bits, "tpdf").quantise(x) * step - x
    # uniform rounding error plus two uniform noises: 3/12 of a step squared, mean nought
    assert error.var() == pytest.approx(step**2 / 4, rel=0.02)
    assert abs(error.mean()) < 0.01 * step
    assert abs(np.corrcoef(error)[0, 1]) < 0.02
    plain = Quantiser(bits, "none").quantise(x)
    assert not plain.any()


def test_dither_depends_on_position_and_seed_only():
    x = noise(-30, 0.2)
    whole = Quantiser(16, "tpdf").quantise(x)
    parted = Quantiser(16, "tpdf")
    np.testing.assert_array_equal(np.concatenate([parted.quantise(p) for p in pieces(x, 777)], axis=1), whole)
    assert (Quantiser(16, "tpdf", seed=1).quantise(x) != whole).any()


def test_shaped_dither_moves_the_noise_up():
    x = tone(997, -40, 4, 44100)

    def noise_db(kind, low, high):
        error = Quantiser(16, kind).quantise(x)[0] / 32768 - x[0]
        power = np.abs(np.fft.rfft(error)) ** 2
        hz = np.fft.rfftfreq(error.size, 1 / 44100)
        return 10 * np.log10(power[(hz > low) & (hz < high)].mean())

    assert noise_db("shaped", 2000, 5000) < noise_db("tpdf", 2000, 5000) - 10
    assert noise_db("shaped", 15000, 22000) > noise_db("tpdf", 15000, 22000) + 5


def test_full_scale_clips_and_is_counted():
    quantiser = Quantiser(16, "none")
    out = quantiser.quantise(np.array([[1.5, -1.5, 0.5], [0.0, 1.0, -1.0]]))
    assert out.tolist() == [[32767, -32768, 16384], [0, 32767, -32768]]
    assert quantiser.clipped == 3


@pytest.mark.parametrize(("suffix", "bits"), [(".wav", "24"), (".flac", "24"), (".aiff", "24"), (".wav", "32f")])
def test_a_print_without_stages_or_dither_is_a_copy(tmp_path, suffix, bits):
    source = np.round(music(0.5) * 0.5 * 2**23) / 2**23
    out, rate, done = printed(tmp_path, source, "out" + suffix, bits=bits, dither="none")
    np.testing.assert_array_equal(out, source)
    assert (rate, done.clipped) == (RATE_HZ, 0)


@pytest.mark.parametrize(("to_hz", "from_hz"), [(44100, 48000), (96000, 48000), (48000, 44100), (88200, 96000)])
def test_rate_conversion_is_aligned_and_of_the_right_length(to_hz, from_hz):
    seconds = 0.51
    x = tone(997, -6, seconds, from_hz) * np.hanning(round(seconds * from_hz))
    y = joined(convert_rate(pieces(x), x.shape[1], from_hz, to_hz))
    assert y.shape[1] == -(-x.shape[1] * to_hz // from_hz)
    t = np.arange(y.shape[1]) / to_hz
    window = np.interp(t, np.arange(x.shape[1]) / from_hz, np.hanning(x.shape[1]))
    np.testing.assert_allclose(y[0], window * 10 ** (-6 / 20) * np.sin(2 * np.pi * 997 * t), atol=2e-4)


@pytest.mark.parametrize("rate_hz", [44100, 48000, 96000])
def test_the_band_limit_leaves_what_is_heard_and_takes_the_rest(rate_hz):
    impulse = np.zeros((2, 20000))
    impulse[:, 9000] = 1.0
    out = joined(band_limit(pieces(impulse, 999), rate_hz))
    assert out.shape == impulse.shape
    assert np.argmax(out[0]) == 9000
    np.testing.assert_allclose(out[0, 9000 - 3000 : 9000], out[0, 9001 : 9001 + 3000][::-1], atol=1e-12)
    hz = np.fft.rfftfreq(20000, 1 / rate_hz)
    level = 20 * np.log10(np.abs(np.fft.rfft(out[0])) + 1e-12)
    assert np.abs(level[hz < 20300]).max() < 0.01
    if rate_hz > 44100:
        assert level[hz > 22000].max() < -110
    np.testing.assert_allclose(joined(band_limit(pieces(impulse, 5000), rate_hz)), out, atol=1e-12)


def test_pieces_hold_the_same_samples():
    x = noise(-10, 0.3)
    made = list(in_pieces(pieces(x, 1234), 1000))
    np.testing.assert_array_equal(np.concatenate(made, axis=1), x)
    assert {piece.shape[1] for piece in made[:-1]} == {1000}


def test_a_slice_is_the_slice_of_the_whole_print(tmp_path):
    recipe = recipe_of(
        {"kind": "compressor", "params": {"threshold_db": -30}}, {"kind": "limiter", "params": {"gain_db": 6}}
    )
    x = music(2.0)
    settings = {"bits": "16", "rate_hz": 44100, "dither": "shaped", "recipe": recipe}
    whole, _, _ = printed(tmp_path, x, **settings)
    part, _, _ = printed(tmp_path, x, "part.wav", from_s=0.5, to_s=1.25, block_frames=1000, **settings)
    np.testing.assert_array_equal(part, whole[:, round(0.5 * 44100) : round(1.25 * 44100)])
    with pytest.raises(AudioError, match="from 3 s to 4 s is no part of the song; it runs from 0 to 2 s"):
        printed(tmp_path, x, from_s=3, to_s=4)


def test_the_ceiling_holds_after_conversion(tmp_path):
    recipe = recipe_of({"kind": "limiter", "params": {"gain_db": 12, "ceiling_db": -1}})
    for more in ({"rate_hz": 44100}, {"band_limit": True}, {"rate_hz": 96000}):
        _, _, done = printed(tmp_path, noise(-12, 2.0), recipe=recipe, bits="32f", **more)
        assert done.measures["true_peak_dbtp"] <= -1 + 0.05


@pytest.mark.parametrize("rate_hz", [44100, 48000, 96000])
def test_the_ceiling_holds_on_hostile_sounds_by_another_meter(tmp_path, rate_hz):
    """Clipped noise, a square wave and clicks of changing sign, read by a filter of 16 × that is not ours."""
    rng, count = np.random.default_rng(4), RATE_HZ
    square = np.sign(np.sin(2 * np.pi * 997.3 * np.arange(count) / RATE_HZ))
    clicks = np.where(rng.random(count) < 0.02, rng.choice([-1.0, 1.0], count), 0.0)
    x = np.concatenate([np.clip(4 * rng.standard_normal((2, count)), -1, 1), [square] * 2, [clicks] * 2], axis=1)
    recipe = recipe_of({"kind": "limiter", "params": {"gain_db": 9, "ceiling_db": -1}})
    out, _, _ = printed(tmp_path, x, recipe=recipe, bits="32f", rate_hz=rate_hz, band_limit=True)
    between = resample_poly(out, 16, 1, axis=1, window=("kaiser", 12.0))
    assert 20 * np.log10(np.abs(between).max()) <= -1 + 0.05


def test_the_measurements_are_those_of_the_file(tmp_path):
    x = music(3.0) * 0.5
    for name, bits in (("a.wav", "16"), ("b.flac", "24"), ("c.wav", "32f")):
        _, _, done = printed(tmp_path, x, name, bits=bits)
        found = measure_file(FileSource(tmp_path / name))
        assert found.pop("format").split()[1] in ("PCM_16", "PCM_24", "FLOAT")
        assert found.pop("spectrum") == done.measures.pop("spectrum")
        for key, value in done.measures.items():
            assert found[key] == pytest.approx(value, rel=1e-9), key


def test_a_tail_is_added_and_a_stopped_print_leaves_nothing(tmp_path):
    out, _, _ = printed(tmp_path, noise(-20, 0.5), tail_s=0.25)
    assert out.shape[1] == 36000

    def stop(share):
        raise Cancelled("stopped")

    with pytest.raises(Cancelled):
        printed(tmp_path, noise(-20, 0.5), "never.wav", progress=stop)
    assert sorted(path.name for path in tmp_path.iterdir()) == ["out.wav"]


def test_an_automatic_tail_is_as_long_as_the_recipe_rings_on(tmp_path):
    x = noise(-6, 0.5)
    narrow = recipe_of({"kind": "equalizer", "params": {"bands": [{"id": "a", "hz": 100, "q": 20, "gain_db": 12}]}})
    short, _, _ = printed(tmp_path, x, tail_s=None)
    assert short.shape[1] == x.shape[1], "what does not ring is not made longer"
    out, _, _ = printed(tmp_path, x, recipe=narrow, tail_s=None, bits="32f")
    longer, _, _ = printed(tmp_path, x, recipe=narrow, tail_s=4.0, bits="32f")
    end = out.shape[1]
    assert end > x.shape[1] + 0.5 * RATE_HZ
    np.testing.assert_array_equal(longer[:, :end], out)
    left = 20 * np.log10(np.abs(longer[:, end : end + 4800]).max() / np.abs(out[:, : x.shape[1]]).max())
    assert -140 < left < -80
    bands = [{"id": "a", "hz": 100, "gain_db": 3}]
    linear = recipe_of({"kind": "equalizer", "params": {"phase": "linear", "bands": bands}})
    rings, _, _ = printed(tmp_path, x, recipe=linear, tail_s=None)
    assert rings.shape[1] == x.shape[1] + 32768, "half of its response"


def test_a_slice_as_floats_ends_where_it_ends(tmp_path):
    shares = []
    whole, _, _ = printed(tmp_path, noise(-20, 20.0), bits="32f")
    out, _, _ = printed(tmp_path, noise(-20, 20.0), bits="32f", from_s=1.0, to_s=2.0, progress=shares.append)
    np.testing.assert_array_equal(out, whole[:, RATE_HZ : 2 * RATE_HZ])
    assert max(shares) < 0.2, "nothing is rendered beyond it"


def test_a_ridden_ceiling_holds_after_conversion_too(tmp_path):
    ride = {"target": "l", "param": "ceiling_db", "points": [{"at": 0, "value": -1.0}, {"at": 1.0, "value": -6.0}]}
    limited = {"id": "l", "kind": "limiter", "params": {"gain_db": 12}}
    recipe = recipe_of(limited, automation=[ride])
    out, _, _ = printed(tmp_path, noise(-12, 2.0), recipe=recipe, bits="32f", rate_hz=44100)
    parts_db = [20 * np.log10(np.abs(part).max()) for part in (out[:, :43000], out[:, 45500:])]
    assert parts_db[0] == pytest.approx(-1, abs=0.1)
    assert parts_db[1] == pytest.approx(-6, abs=0.1)


@pytest.mark.parametrize(
    ("name", "settings", "message"),
    [
        ("out.m4a", {}, r"ending '\.m4a' is not known; use \.wav, \.flac, \.aiff, \.ogg, \.opus or \.mp3"),
        ("out.flac", {"bits": "32f"}, "FLAC holds no floats"),
        ("out.flac", {"rate_hz": 384000}, "FLAC ends at 192000 Hz"),
        ("nowhere/out.wav", {}, "is no folder; make it first"),
        ("out.wav", {"rate_hz": 12}, "12 Hz is no rate for a print"),
    ],
)
def test_what_a_format_cannot_hold_is_refused(tmp_path, name, settings, message):
    with pytest.raises(AudioError, match=message):
        printed(tmp_path, noise(-20, 0.1), name, **settings)
    assert not list(tmp_path.iterdir())


def test_the_same_print_twice_is_the_same_file(tmp_path):
    x = music(0.5)
    digests = set()
    for name in ("a.wav", "b.wav"):
        printed(tmp_path, x, name, bits="16", recipe=recipe_of({"kind": "limiter", "params": {"gain_db": 3}}))
        digests.add(hashlib.sha256((tmp_path / name).read_bytes()).hexdigest())
    assert len(digests) == 1


def test_memory_does_not_grow_with_the_song(tmp_path):
    import tracemalloc

    def peak_bytes(seconds):
        source = FileSource(write_wav(tmp_path / "in.wav", noise(-20, seconds)))
        tracemalloc.start()
        print_song(recipe_of({"kind": "limiter"}), {"mix": source}, tmp_path / "out.wav", PrintSettings())
        peak = tracemalloc.get_traced_memory()[1]
        tracemalloc.stop()
        source.close()
        return peak

    peak_bytes(1)
    # reading keeps some pages at hand; beyond them nothing is held but the loudness of every 10 ms
    assert peak_bytes(60) < peak_bytes(30) + 1_000_000


def test_a_stop_while_the_file_is_being_made_leaves_nothing(tmp_path, monkeypatch):
    made = soundfile.SoundFile

    def stopped(name, *given, **more):
        made(name, *given, **more).close()
        assert list(tmp_path.iterdir())
        raise KeyboardInterrupt

    monkeypatch.setattr(formats.soundfile, "SoundFile", stopped)
    with suppress(KeyboardInterrupt):
        formats.Writer(tmp_path / "x.wav", "wav", 48000, "24", 1000)
    gc.collect()
    assert not list(tmp_path.iterdir())


@pytest.mark.parametrize("container", ["wav", "bwf"])
def test_what_is_too_long_for_riff_is_written_as_rf64_with_its_broadcast_chunk(tmp_path, monkeypatch, container):
    monkeypatch.setattr(formats, "_MOST_WAV_BYTES", 1000)
    out, _, done = printed(tmp_path, noise(-20, 0.1), container=container)
    path = tmp_path / "out.wav"
    assert path.read_bytes()[:4] == b"RF64"
    add_chunk(path, bext_chunk("Title", "Tin Kettle", "2026-12-01", done.measures))
    data = path.read_bytes()
    assert data[:4] == b"RF64" and data[4:8] == b"\xff" * 4, "the length stands in ds64"
    assert int.from_bytes(data[20:28], "little") == len(data) - 8
    assert container_of(path) == "bwf"
    np.testing.assert_array_equal(soundfile.read(str(path), always_2d=True)[0].T, out)
