"""Trim and filter as the contract has them; the declarations of every stage."""

import numpy as np
import pytest

from tests.conftest import RATE_HZ, music
from tin_kettle.core.recipe.describe import describe_kinds
from tin_kettle.core.stages import KINDS
from tin_kettle.core.stages.filter import Filter, FilterParams, response
from tin_kettle.core.stages.trim import Trim, TrimParams


def test_trim_does_what_it_says():
    x = music(0.05)
    out = Trim(TrimParams(gain_db=6, balance=0.5, invert_right=True), RATE_HZ).process(x.copy())
    gain = 10 ** (6 / 20)
    np.testing.assert_allclose(out, [x[0] * gain * 0.5, -x[1] * gain], rtol=1e-12)
    np.testing.assert_array_equal(Trim(TrimParams(swap=True), RATE_HZ).process(x.copy()), x[::-1])
    np.testing.assert_array_equal(Trim(TrimParams(), RATE_HZ).process(x.copy()), x)


def test_an_offset_is_gone_from_the_first_sample():
    x = np.full((2, 4800), 0.25)
    out = Trim(TrimParams(remove_dc=True), RATE_HZ).process(x.copy())
    assert np.abs(out).max() < 1e-12
    t = np.arange(RATE_HZ) / RATE_HZ
    wave = np.stack([0.2 + 0.5 * np.sin(2 * np.pi * 100 * t)] * 2)
    assert abs(Trim(TrimParams(remove_dc=True), RATE_HZ).process(wave)[0, -4800:].mean()) < 1e-3


def test_a_low_pass_that_the_rate_cannot_carry_is_bypassed():
    params = FilterParams(low_pass_on=True, low_pass_hz=22000)
    x = music(0.05, rate_hz=44100)
    np.testing.assert_array_equal(Filter(params, 44100).process(x.copy()), x)
    assert np.abs(response(params, np.array([20000.0]), 96000)[0]) < 0.99


def test_both_passes_in_series_make_what_is_drawn():
    params = FilterParams(high_pass_on=True, high_pass_hz=100, low_pass_on=True, low_pass_hz=5000, low_pass_slope=48)
    impulse = np.zeros((2, 1 << 16))
    impulse[:, 0] = 1.0
    made = np.abs(np.fft.rfft(Filter(params, RATE_HZ).process(impulse)[0]))
    hz = np.fft.rfftfreq(1 << 16, 1 / RATE_HZ)
    drawn = KINDS["filter"].picture(params, RATE_HZ)
    inside = [(h, d) for h, d in zip(drawn["hz"], drawn["db"], strict=True) if 50 < h < 7000]
    for h, d in inside:
        assert 20 * np.log10(np.interp(h, hz, made)) == pytest.approx(d, abs=0.05)


def test_every_control_says_what_it_does_to_the_sound():
    for kind in describe_kinds():
        assert kind["says"].endswith(".")
        for param in kind["params"]:
            assert len(param["says"]) > 15, (kind["kind"], param["name"])
            assert param["label"] != param["name"]
            if param["type"] == "number":
                assert param["low"] < param["high"]
                assert all(param["low"] <= tick <= param["high"] for tick in param["ticks"]), param["name"]
                assert param["scale"] == "linear" or param["low"] > 0


PLAIN = {name: kind for name, kind in KINDS.items() if "branches" not in kind.params.model_fields}


@pytest.mark.parametrize("kind", PLAIN.values(), ids=list(PLAIN))
def test_every_stage_speaks_at_its_defaults_and_forks_into_an_equal_twin(kind):
    params = kind.params()
    assert kind.summary(params)
    assert kind.picture(params, 44100.0)
    processor = kind.build(params, RATE_HZ)
    x = music(0.2)
    processor.process(np.ascontiguousarray(x[:, :5000]))
    twin = processor.fork()
    rest = np.ascontiguousarray(x[:, 5000:])
    np.testing.assert_array_equal(processor.process(rest.copy()), twin.process(rest.copy()))
