"""The compressor against the contract's figures and its plain twin."""

import numpy as np
import pytest

from tests import naive
from tests.conftest import RATE_HZ, music, recipe_of, tone
from tin_kettle.core.dsp.dynamics import attack_optical, attack_programme, soft_edge
from tin_kettle.core.engine.offline import render
from tin_kettle.core.engine.source import ArraySource
from tin_kettle.core.errors import RecipeError
from tin_kettle.core.stages.compressor import Compressor, CompressorParams, DetectorFilter, hears, static_curve_db


def run(params, x, block=1000, rate_hz=RATE_HZ):
    processor = Compressor(params, rate_hz)
    out, gain = [], []
    for at in range(0, x.shape[1], block):
        out.append(processor.process(np.ascontiguousarray(x[:, at : at + block]).copy()))
        gain.append(processor.efforts_db["effort_db"])
    return np.concatenate(out, axis=1), np.concatenate(gain, axis=1)


@pytest.mark.parametrize("level", [-17.0, -9.0, 0.0])
@pytest.mark.parametrize("ratio", [1.5, 4.0, 100.0])
def test_a_square_wave_settles_on_the_static_curve(level, ratio):
    t = np.arange(2 * RATE_HZ)
    x = np.stack([10 ** (level / 20) * np.where((t // 24) % 2, -1.0, 1.0)] * 2)
    out, _ = run(CompressorParams(threshold_db=-18, ratio=ratio, knee_db=0), x)
    settled = 20 * np.log10(np.abs(out[0, -4800:]).max())
    assert settled == pytest.approx(-18 + (level + 18) / ratio, abs=0.05)


def test_the_contracts_sine():
    _, gain = run(CompressorParams(threshold_db=-18, ratio=2, knee_db=0), tone(1000, 0, 4))
    assert gain[0, -RATE_HZ:].mean() == pytest.approx(-7.50, abs=0.05)


@pytest.mark.parametrize("link", [0.0, 0.4, 1.0])
def test_equals_its_plain_twin(link):
    x = music(0.25)
    params = CompressorParams(threshold_db=-30, ratio=3.5, knee_db=9, range_db=8, attack_ms=2, release_ms=40, link=link)
    _, gain = run(params, x, block=333)
    wanted = naive.compressor_gain_db(x, -30, 3.5, 9, 8, 2, 40, link, RATE_HZ)
    edge = soft_edge(RATE_HZ)
    wanted = np.stack([np.convolve(row, edge)[: x.shape[1]] for row in wanted])
    np.testing.assert_allclose(np.broadcast_to(gain, x.shape), wanted, atol=1e-7)


@pytest.mark.parametrize(("attack_ms", "release_ms"), [(0.05, 100), (0.3, 30), (1, 5), (30, 100)])
def test_fast_attacks_add_no_tones_of_their_own(attack_ms, release_ms):
    setting = {"threshold_db": -18, "ratio": 4, "knee_db": 0, "attack_ms": attack_ms, "release_ms": release_ms}
    out = run(CompressorParams(**setting), tone(10000, 0, 3))[0][0, RATE_HZ:]
    spectrum = np.abs(np.fft.rfft(out * np.blackman(out.size)))
    peak = round(10000 * out.size / RATE_HZ)
    wanted = spectrum[peak]
    spectrum[peak - 20 : peak + 21] = 0.0
    spectrum[:200] = 0.0
    assert 20 * np.log10(spectrum.max() / wanted) < -90


@pytest.mark.parametrize(("attack_ms", "release_ms"), [(0.3, 5), (1, 50), (30, 100), (300, 3000)])
def test_times_are_kept_to_a_twentieth(attack_ms, release_ms):
    """Of a level that jumps up and down again, with what the softening adds."""
    rate_hz = 192000
    frames = [round(9e-3 * ms * rate_hz) for ms in (1, attack_ms, release_ms)]
    level = np.concatenate([np.full(frames[0], 1e-4), np.full(frames[1], 1.0), np.full(frames[2], 1e-4)])
    params = CompressorParams(threshold_db=-20, ratio=2, knee_db=0, attack_ms=attack_ms, release_ms=release_ms)
    gain = run(params, np.stack([level, level]), 4096, rate_hz)[1][0]
    gain = gain[Compressor(params, rate_hz).delay :]
    down = np.argmax(gain < -10 * (1 - np.exp(-1))) - frames[0]
    up = np.argmax(gain[frames[0] + frames[1] :] > -10 * np.exp(-1))
    assert down / rate_hz * 1000 == pytest.approx(attack_ms, rel=0.05)
    assert up / rate_hz * 1000 == pytest.approx(release_ms, rel=0.05)


def test_the_link_moves_without_a_step():
    x, half = music(0.5), 12000
    linked, loose = (Compressor(CompressorParams(threshold_db=-30, ratio=4, link=link), RATE_HZ) for link in (1, 0.99))
    linked.process(np.ascontiguousarray(x[:, :half]).copy())
    before = linked.efforts_db["effort_db"][0, -1]
    loose.adopt(linked)
    loose.process(np.ascontiguousarray(x[:, half:]).copy())
    assert loose.efforts_db["effort_db"][:, 0] == pytest.approx([before, before], abs=0.05)


def test_samples_do_not_depend_on_the_block_size():
    params = CompressorParams(
        threshold_db=-30, ratio=4, detector="rms", lookahead_ms=3, detector_filters=(DetectorFilter(hz=120),)
    )
    x = music(0.3)
    wanted, _ = run(params, x, block=x.shape[1])
    for block in (1, 64, 1023):
        np.testing.assert_allclose(run(params, x, block)[0], wanted, atol=1e-12)


def test_look_ahead_moves_the_gain_before_the_hit():
    x = np.zeros((2, 9600))
    x[:, 4800:] = 0.9
    params = {"threshold_db": -20, "ratio": 10, "attack_ms": 1}
    plain, _ = run(CompressorParams(**params), x)
    ahead, _ = run(CompressorParams(**params, lookahead_ms=5), x)
    half = len(soft_edge(RATE_HZ)) // 2
    assert Compressor(CompressorParams(lookahead_ms=5), RATE_HZ).delay == 240 + half
    assert plain[0, 4800 + half] > 0.7
    assert ahead[0, 5040 + half] < 0.2


def test_it_listens_through_its_filters_and_all_frequencies_go_down_together():
    x = tone(50, -6, 2) + tone(5000, -40, 2)
    heavy = CompressorParams(threshold_db=-30, ratio=4)
    deaf = CompressorParams(threshold_db=-30, ratio=4, detector_filters=(DetectorFilter(hz=1000, slope=24),))
    assert run(heavy, x)[1][0, -4800:].mean() < -10
    assert run(deaf, x)[1][0, -4800:].mean() > -0.1


def test_neutral_values_change_nothing():
    x = music(0.1)
    for params in (CompressorParams(ratio=1), CompressorParams(range_db=0), CompressorParams(threshold_db=0)):
        late = Compressor(params, RATE_HZ).delay
        quiet = 0.5 * x / np.abs(x).max()
        np.testing.assert_array_equal(run(params, quiet)[0][:, late:], quiet[:, :-late])


def test_picture_and_words():
    params = CompressorParams(threshold_db=-20, ratio=4, knee_db=0, makeup_db=2)
    np.testing.assert_allclose(static_curve_db(params, np.array([-40.0, -8.0])), [-38.0, -15.0], atol=1e-9)
    filters = (DetectorFilter(hz=110), DetectorFilter(kind="bell", hz=3000, gain_db=6))
    assert hears(CompressorParams(detector_filters=filters)) == "above 110 Hz, harder at 3 kHz"


def steps_db():
    """Targets as a hit, a pause and a long passage ask for, both sides alike, (2, frames)."""
    row = np.zeros(RATE_HZ * 4)
    row[4800:5280] = -8.0
    row[48000:120000] = -6.0 + np.sin(np.arange(72000) / 500.0)
    return np.ascontiguousarray(np.stack([row, row]))


def test_auto_and_optical_release_are_their_equations():
    shares = 0.01, 0.0005, 0.0001, 0.00004
    for kernel, twin in ((attack_programme, naive.programme_gain_db), (attack_optical, naive.optical_gain_db)):
        got = steps_db()
        kernel(got, np.array([0, 50000, got.shape[1]]), np.array([shares, shares]), np.zeros((3, 2)))
        np.testing.assert_allclose(got[1], twin(steps_db()[0], *shares), atol=1e-8)


@pytest.mark.parametrize("mode", ["auto", "optical"])
def test_recovery_is_quick_after_a_hit_and_slow_after_a_passage(mode):
    def gain_after(loud_s, quiet_s):
        x = np.concatenate([tone(1000, 0, loud_s), tone(1000, -60, 3.0)], axis=1)
        setting = {"threshold_db": -20, "ratio": 4, "attack_ms": 1, "release_ms": 100, "release_mode": mode}
        stage = Compressor(CompressorParams.model_validate(setting), RATE_HZ)
        stage.process(x)
        return stage.efforts_db["effort_db"][0, round((loud_s + quiet_s) * RATE_HZ)]

    assert gain_after(0.02, 0.25) > -2.0
    assert gain_after(3.0, 0.25) < -4.0
    assert gain_after(3.0, 2.9) > gain_after(3.0, 0.25)


def keyed(**params):
    stage = {"id": "duck", "kind": "compressor", "params": {"key": ["drums"], "ratio": 10, "knee_db": 0, **params}}
    return recipe_of(buses=[{"id": "drums"}, {"id": "bass", "chain": [stage]}])


def test_a_key_ducks_one_bus_to_another_in_time_whatever_delays_there_are():
    bass, silent = tone(100, -20, 1.0), np.zeros((2, RATE_HZ))
    hits = silent.copy()
    hits[:, 24000:] = tone(1000, -6, 0.5)
    sources = {"drums": ArraySource(hits, RATE_HZ), "bass": ArraySource(bass, RATE_HZ)}
    out = {}
    late = {"id": "late", "kind": "compressor", "params": {"ratio": 1, "lookahead_ms": 7}}
    for name, chain in (("plain", []), ("late key", [late])):
        recipe = keyed(attack_ms=0.05)
        drums = recipe.buses[0].model_copy(
            update={"chain": recipe_of(*chain).master, "muted": True}
        )  # the key is tapped before mute
        recipe = recipe.model_copy(update={"buses": (drums, recipe.buses[1])})
        out[name] = np.concatenate(list(render(recipe, sources)), axis=1)
    # the gain may begin to fall as early as half of its softening
    np.testing.assert_allclose(out["plain"][:, :23988], bass[:, :23988], atol=1e-12)
    assert np.abs(out["plain"][:, 30000:]).max() < 0.1 * 10 ** (-10 / 20)
    np.testing.assert_allclose(out["late key"], out["plain"], atol=1e-12)


def test_keys_go_through_the_detector_filter_and_components():
    low, silent = tone(60, -6, 1.0), np.zeros((2, RATE_HZ))
    bass = ArraySource(tone(1000, -20, 1.0), RATE_HZ)
    for key, filters, works in ((low, [], True), (low, [{"kind": "high_pass", "hz": 2000, "slope": 24}], False)):
        recipe = keyed(detector_filters=filters, threshold_db=-30)
        sources = {"drums": ArraySource(key, RATE_HZ), "bass": bass}
        out = np.concatenate(list(render(recipe, sources)), axis=1) - key
        assert (np.abs(out[:, 24000:]).max() < 0.05) == works
    assert silent.max() == 0


@pytest.mark.parametrize(
    ("document", "message"),
    [
        (
            {"buses": [{"id": "a", "chain": [{"id": "s", "kind": "compressor", "params": {"key": ["a"]}}]}]},
            r"\$\.buses\[0\]\.chain\[0\]\.params\.key\[0\]: 'a' would wait for itself \(a → a\); key from another bus",
        ),
        (
            {
                "buses": [
                    {"id": "a", "chain": [{"id": "s", "kind": "compressor", "params": {"key": ["b"]}}]},
                    {"id": "b", "chain": [{"id": "t", "kind": "compressor", "params": {"key": ["a"]}}]},
                ]
            },
            r"\$\.buses\[1\]\.chain\[0\]\.params\.key\[0\]: 'a' would wait for itself \(a → b → a\)",
        ),
        (
            {
                "buses": [
                    {"id": "a", "group": "g", "chain": [{"id": "s", "kind": "compressor", "params": {"key": ["g"]}}]}
                ],
                "groups": [{"id": "g"}],
            },
            "would wait for itself",
        ),
    ],
)
def test_key_circles_are_refused_with_their_path(document, message):
    with pytest.raises(RecipeError, match=message):
        recipe_of(**document)


def test_silence_after_sound_costs_no_denormals_and_recovers():
    for mode in ("manual", "auto", "optical"):
        setting = {"release_mode": mode, "release_ms": 20, "detector_filters": [{"kind": "low_pass", "hz": 50}]}
        stage = Compressor(CompressorParams.model_validate(setting), RATE_HZ)
        stage.process(tone(50, 0, 0.5))
        assert stage.efforts_db["effort_db"].min() < -4
        for _ in range(60):
            stage.process(np.zeros((2, RATE_HZ)))
        # how tired an optical cell is fades over minutes; all else has ended
        stage.f64("work")[2] = 0.0
        for name, array in stage.state.items():
            assert not array.any(), (mode, name)
        assert stage.efforts_db["effort_db"].min() == 0.0
