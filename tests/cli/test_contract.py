"""What the contracts promise about sound, heard through printed files: nothing here knows how the inside works."""

import json

import numpy as np
import pytest
import soundfile

from tests.conftest import music, noise, tone, write_wav
from tin_kettle.cli.main import cli

BITS = ("--bits", "32f")
ROUNDING = 4e-8
"""A float of 32 bits near full scale."""


def document(*master, **more):
    stages = [{"id": f"s{i}", **stage} for i, stage in enumerate(master)]
    return {"format": "tin-kettle-recipe", "version": 1, "master": stages, **more}


@pytest.fixture
def printed(tmp_path):
    """Print samples, or several buses, through a recipe; the file's samples, (2, frames)."""

    def make(samples, recipe, *options, rate_hz=48000):
        (tmp_path / "r.kettle.json").write_text(json.dumps(recipe))
        line = ["render"]
        if isinstance(samples, dict):
            for bus, one in samples.items():
                line += ["--bus", f"{bus}={write_wav(tmp_path / f'{bus}.wav', one, rate_hz, 'DOUBLE')}"]
        else:
            line.append(str(write_wav(tmp_path / "in.wav", samples, rate_hz, "DOUBLE")))
        out = str(tmp_path / "out.wav")
        cli.main([*line, "--recipe", str(tmp_path / "r.kettle.json"), "--out", out, *BITS, *options], "t", None, False)
        return soundfile.read(out, always_2d=True)[0].T

    return make


def db(value):
    return 20 * np.log10(np.maximum(np.abs(value), 1e-30))


def square(level_db, frames=48000):
    one = 10 ** (level_db / 20) * np.sign(np.sin(2 * np.pi * 1000 * (np.arange(frames) + 0.5) / 48000))
    return np.stack([one, one])


def levels(x, hz, rate_hz):
    """Of an impulse response, in dB at some frequencies."""
    return np.interp(hz, np.fft.rfftfreq(x.size, 1 / rate_hz), db(np.fft.rfft(x)))


def impulse(frames=1 << 16):
    x = np.zeros((2, frames))
    x[:, frames // 2] = 1.0
    return x


# ---- dynamics


def test_the_sine_of_the_contract(printed):
    held = {"threshold_db": -18, "ratio": 2, "knee_db": 0, "attack_ms": 30, "release_ms": 100}
    x = tone(1000, 0, 3)
    y = printed(x, document({"kind": "compressor", "params": held}))
    gain = db(np.sqrt(np.mean(y[0, 96000:] ** 2) / np.mean(x[0, 96000:] ** 2)))
    assert gain == pytest.approx(-7.5, abs=0.05)


@pytest.mark.parametrize(("threshold", "ratio"), [(-18, 2), (-30, 4), (-20, 100), (-50, 1.3)])
@pytest.mark.parametrize("channels", ["stereo", "mid", "left"])
def test_a_square_settles_on_the_static_curve(printed, threshold, ratio, channels):
    params = {"threshold_db": threshold, "ratio": ratio, "knee_db": 0}
    y = printed(square(-6), document({"kind": "compressor", "channels": channels, "params": params}))
    assert db(y[0, -2000:]).max() == pytest.approx(threshold + (-6 - threshold) / ratio, abs=0.05)
    assert db(y[1, -2000:]).max() == pytest.approx(-6 if channels == "left" else db(y[0, -2000:]).max(), abs=0.05)


@pytest.mark.parametrize(("attack", "release"), [(1, 100), (10, 30), (100, 400)])
def test_attack_and_release_are_time_constants(printed, attack, release):
    loud = square(0, 192000) * np.where((np.arange(192000) // 48000) % 2, 1.0, 0.01)
    held = {"threshold_db": -20, "ratio": 4, "knee_db": 0, "attack_ms": attack, "release_ms": release}
    y = printed(loud, document({"kind": "compressor", "params": held}))
    gain = db(y[0]) - db(loud[0])
    falls = np.argmax(gain[48000:] < -15 * (1 - np.exp(-1)))
    assert falls / 48 == pytest.approx(attack, rel=0.05, abs=0.1)
    start = gain[95999]
    rises = np.argmax(gain[96000:] > start * np.exp(-1))
    assert rises / 48 == pytest.approx(release, rel=0.05)


def test_mid_and_side_are_read_at_their_own_scale(printed):
    left = square(0) * np.array([[1.0], [0.0]])
    params = {"threshold_db": -20, "ratio": 4, "knee_db": 0}
    for channels in ("mid", "side"):
        y = printed(left, document({"kind": "compressor", "channels": channels, "params": params}))
        sign = 1 if channels == "mid" else -1
        treated, other = (y[0] + sign * y[1]) / 2, (y[0] - sign * y[1]) / 2
        assert db(treated[-2000:]).max() == pytest.approx(-20 + (-6.02 + 20) / 4, abs=0.05)
        np.testing.assert_allclose(other, left[0] / 2, atol=ROUNDING)


# ---- curves


def butterworth(hz, corner, order, resonance_db, high):
    """|H| in dB of the analogue prototype; resonance multiplies the highest Q."""
    s = 1j * hz / corner
    s = 1 / s if high else s
    angles = [np.pi * (2 * k + 1) / (2 * order) for k in range(order // 2)]
    if order % 2:
        angles = [np.pi * (k + 1) / order for k in range(order // 2)]
    qs = [1 / (2 * np.cos(angle)) for angle in angles]
    if qs:
        qs[int(np.argmax(qs))] *= 10 ** (resonance_db / 20)
    total = 1 / (s + 1) if order % 2 else np.ones_like(s)
    for q in qs:
        total = total / (s * s + s / q + 1)
    return db(total)


@pytest.mark.parametrize("rate_hz", [44100, 48000])
@pytest.mark.parametrize("slope", [6, 12, 18, 24, 36, 48, 72, 96])
@pytest.mark.parametrize(("side", "corner"), [("high", 30), ("high", 1500), ("low", 1000), ("low", 16000)])
def test_passes_follow_the_analogue_prototype(printed, rate_hz, slope, side, corner):
    resonance = 6.0 if slope in (12, 48) else 0.0
    params = {
        f"{side}_pass_{name}": value
        for name, value in (("on", True), ("hz", corner), ("slope", slope), ("resonance_db", resonance))
    }
    y = printed(impulse(1 << 17), document({"kind": "filter", "params": params}), rate_hz=rate_hz)
    hz = np.geomspace(10, 20000, 300)
    wanted = butterworth(hz, corner, slope // 6, resonance, side == "high")
    apart = np.abs(levels(y[0], hz, rate_hz) - wanted)[wanted > -60]
    assert apart[hz[wanted > -60] < 16000].max() < 0.3
    assert apart.max() < 0.8


def analogue(shape, hz, at, gain, q):
    s, a = 1j * hz / at, 10 ** (gain / 40)
    if shape == "bell":
        return db((s * s + s * a / q + 1) / (s * s + s / (a * q) + 1))
    root = np.sqrt(a)
    top, bottom = (
        (s * s + root / q * s + a, a * s * s + root / q * s + 1)
        if shape == "low_shelf"
        else (a * s * s + root / q * s + 1, s * s + root / q * s + a)
    )
    return db(a * top / bottom)


@pytest.mark.parametrize("phase", ["minimum", "linear"])
@pytest.mark.parametrize("rate_hz", [44100, 48000, 96000])
@pytest.mark.parametrize(
    ("shape", "at", "gain", "q"),
    [
        ("bell", 100, 6, 1),
        ("bell", 3400, -2, 0.7),
        ("bell", 15000, -12, 1),
        ("bell", 18000, 12, 5),
        ("low_shelf", 120, -4, 0.707),
        ("high_shelf", 9000, 3, 0.707),
    ],
)
def test_bells_and_shelves_follow_the_analogue_prototype(printed, rate_hz, phase, shape, at, gain, q):
    bands = [{"id": "b", "shape": shape, "hz": at, "gain_db": gain, "q": q}]
    recipe = document({"kind": "equalizer", "params": {"phase": phase, "bands": bands}})
    y = printed(impulse(), recipe, rate_hz=rate_hz)
    hz = np.geomspace(30, 20000, 200)
    apart = np.abs(levels(y[0], hz, rate_hz) - analogue(shape, hz, at, gain, q))
    assert apart[hz < 16000].max() < 0.3
    assert apart.max() < 0.8
    if phase == "linear":
        middle = y.shape[1] // 2
        np.testing.assert_allclose(y[0, middle + 1 : middle + 9000], y[0, middle - 1 : middle - 9000 : -1], atol=1e-7)


@pytest.mark.parametrize("phase", ["minimum", "linear"])
def test_a_band_leaves_the_other_component_alone_and_its_opposite_undoes_it(printed, phase):
    x = noise(-20, 1.0)
    both = [{"id": str(g), "hz": 3000, "gain_db": g, "q": 2} for g in (7, -7)]
    y = printed(x, document({"kind": "equalizer", "params": {"phase": phase, "bands": both}}))
    np.testing.assert_allclose(y, x, atol=ROUNDING)
    rests = {"mid": (0.5, -0.5), "side": (0.5, 0.5), "left": (0, 1), "right": (1, 0)}
    for channels, (left, right) in rests.items():
        shelf = [{"id": "b", "shape": "high_shelf", "hz": 3000, "gain_db": 7, "channels": channels}]
        y = printed(x, document({"kind": "equalizer", "params": {"phase": phase, "bands": shelf}}))
        np.testing.assert_allclose(left * y[0] + right * y[1], left * x[0] + right * x[1], atol=ROUNDING)
        assert np.abs(y - x).max() > 0.01


def test_response_tells_what_a_print_has(printed, tmp_path, capsys):
    bands = [
        {"id": "a", "hz": 1000, "gain_db": 6, "q": 1, "channels": "mid"},
        {"id": "b", "shape": "low_shelf", "hz": 100, "gain_db": -4},
    ]
    recipe = document({"kind": "equalizer", "params": {"bands": bands}})
    y = printed(impulse() * np.array([[1.0], [0.0]]), recipe)
    cli.main(["response", "--recipe", str(tmp_path / "r.kettle.json"), "--stage", "s0", "--json"], "t", None, False)
    told = json.loads(capsys.readouterr().out.splitlines()[-1])
    hz = np.array(told["hz"])
    inside = (hz > 30) & (hz < 20000)
    for name, part in (("mid_db", y[0] + y[1]), ("side_db", y[0] - y[1])):
        np.testing.assert_allclose(levels(part, hz[inside], 48000), np.array(told[name])[inside], atol=0.02)


# ---- the print


CHAIN = (
    {"kind": "filter", "params": {"high_pass_on": True, "high_pass_slope": 48, "high_pass_resonance_db": 4}},
    {"kind": "equalizer", "params": {"phase": "linear", "bands": [{"id": "a", "hz": 900, "gain_db": 3}]}},
    {"kind": "compressor", "params": {"threshold_db": -30, "release_mode": "auto", "lookahead_ms": 2}},
    {"kind": "compressor", "channels": "side", "mix": 0.6, "params": {"release_mode": "optical", "detector": "rms"}},
    {"kind": "limiter", "params": {"gain_db": 6}},
)


def test_blocks_and_slices_change_nothing(printed):
    x = music(1.0)
    whole = printed(x, document(*CHAIN))
    assert whole.shape == x.shape
    for block in ("64", "1023", "48000"):
        np.testing.assert_array_equal(printed(x, document(*CHAIN), "--block", block), whole)
    slice_ = printed(x, document(*CHAIN), "--from", "0.2", "--to", "0.6")
    np.testing.assert_array_equal(slice_, whole[:, 9600:28800])


@pytest.mark.parametrize("stage", CHAIN[:4], ids=lambda stage: stage["kind"])
def test_off_and_unmixed_are_the_song_itself(printed, stage):
    x = noise(-20, 1.0)
    for idle in ({"on": False}, {"mix": 0.0}):
        if stage["kind"] == "equalizer" and "mix" in idle:
            continue
        np.testing.assert_allclose(printed(x, document({**stage, **idle})), x, atol=ROUNDING)
    np.testing.assert_array_equal(printed(x, document()), x.astype(np.float32))


def test_buses_sum_through_groups_pans_and_mutes(printed):
    x = {bus: noise(-26, 1.0 if bus != "bass" else 0.8, seed=i) for i, bus in enumerate(("drums", "bass", "keys"))}
    buses = [
        {"id": "drums", "gain_db": -3, "pan": 0.5, "group": "band"},
        {"id": "bass", "pan": -1},
        {"id": "keys", "muted": True},
    ]
    y = printed(x, document(buses=buses, groups=[{"id": "band", "gain_db": -6}]))
    bass = np.zeros((2, 48000))
    bass[:, : x["bass"].shape[1]] = x["bass"]
    loud = 10 ** (-9 / 20)
    wanted = np.stack([loud * 0.5 * x["drums"][0] + bass[0], loud * x["drums"][1]])
    np.testing.assert_allclose(y, wanted, atol=ROUNDING)


def test_the_bass_ducks_to_muted_drums_and_only_then(printed):
    drums = np.zeros((2, 96000))
    drums[:, 24000:48000] = square(-6, 24000)
    bass = tone(60, -12, 2)
    duck = {"threshold_db": -20, "ratio": 4, "knee_db": 0, "attack_ms": 5, "key": ["drums"]}
    chain = [{"id": "duck", "kind": "compressor", "params": duck}]
    y = printed(
        {"drums": drums, "bass": bass}, document(buses=[{"id": "drums", "muted": True}, {"id": "bass", "chain": chain}])
    )
    np.testing.assert_allclose(y[:, :23900], bass[:, :23900], atol=ROUNDING)
    ducked = db(np.sqrt(np.mean(y[0, 36000:46000] ** 2) / np.mean(bass[0, 36000:46000] ** 2)))
    assert ducked == pytest.approx(-(20 - 6.02) * 0.75, abs=0.05)
