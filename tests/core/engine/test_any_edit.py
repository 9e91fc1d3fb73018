"""From any sound to any other: bounded by both, without a hole, without a click, and soon, whatever the delays."""

import numpy as np
import pytest

from tests.conftest import RATE_HZ, music, recipe_of, tone
from tests.core.engine.listener import Listener
from tests.core.engine.test_graph import heard_above_4k_db
from tests.core.engine.test_live import Ear
from tin_kettle.core.engine.live import render_path
from tin_kettle.core.engine.live.audition import AHEAD_MS, PassThrough
from tin_kettle.core.engine.live.render_path import Piece, block_frames
from tin_kettle.core.engine.offline import render
from tin_kettle.core.engine.source import ArraySource

SOON_FRAMES = round(AHEAD_MS * RATE_HZ / 1000) + block_frames(RATE_HZ)
LEVEL_DB = -20.0
TONE = tone(1000, LEVEL_DB, 12)


def linear(name, gain_db=None, channels="stereo", on=True, *, low=False):
    """With a narrow band far below the tone its response is sixteen partitions long, else two."""
    bands = [] if gain_db is None else [{"id": "a", "hz": 1000, "gain_db": gain_db, "q": 0.5, "channels": channels}]
    bands += [{"id": "low", "hz": 40, "gain_db": 6, "q": 4}] if low else []
    return {"id": name, "kind": "equalizer", "on": on, "params": {"phase": "linear", "bands": bands}}


def minimum(name, gain_db):
    return {"id": name, "kind": "equalizer", "params": {"bands": linear(name, gain_db)["params"]["bands"]}}


def trim(name, gain_db=0.0, **more):
    return {"id": name, "kind": "trim", "params": {"gain_db": gain_db}, **more}


def ahead(name, ms=20.0, makeup_db=0.0, **more):
    params = {"ratio": 1, "lookahead_ms": ms, "makeup_db": makeup_db}
    return {"id": name, "kind": "compressor", "params": params, **more}


def limiter(name, ms=10.0, **more):
    return {"id": name, "kind": "limiter", "params": {"lookahead_ms": ms, "ceiling_db": 0}, **more}


def copies(name, *chains, level_db=-6.0206):
    branches = [{"id": f"{name}{i}", "gain_db": level_db, "chain": list(chain)} for i, chain in enumerate(chains)]
    return {"id": name, "kind": "split", "params": {"branches": branches}}


def print_of(recipe, samples=TONE):
    return np.concatenate(list(render(recipe, {"mix": ArraySource(samples, RATE_HZ)})), axis=1)


def envelope_db(row):
    """Level of the tone over 5 ms."""
    turned = row * np.exp(-2j * np.pi * 1000 / RATE_HZ * np.arange(row.size))
    smooth = np.convolve(turned, np.hanning(482)[1:-1] / 240.5, "valid")
    return 20 * np.log10(2 * np.abs(smooth) + 1e-12)


def heard_edits(recipes, apart=RATE_HZ, heard_late=0, sources=TONE):
    """What is heard when one recipe after the other is taken up, and where the ear was then."""
    audition = Listener(recipes[0], {"mix": ArraySource(sources, RATE_HZ)})
    ear, at = Ear(audition), []
    ear.listen(RATE_HZ)
    for number, recipe in enumerate(recipes[1:], 1):
        at.append(ear.heard)
        audition.change(recipe, number, max(0, ear.heard - heard_late))
        ear.listen(apart)
    ear.listen(RATE_HZ)
    return ear, at


def assert_bounded(ear, recipes, first):
    """Between the levels of all of them, without a hole or a click, ending in the last."""
    ends = [envelope_db(print_of(recipe)[0, 3 * RATE_HZ : 4 * RATE_HZ]).mean() for recipe in recipes]
    heard = ear.now[0, first - 4096 : ear.heard]
    level = envelope_db(heard)
    assert level.min() > min(ends) - 0.3, "a hole"
    assert level.max() < max(ends) + 0.3, "a bump"
    assert heard_above_4k_db(heard) < -75, "a click"
    assert level[-4800:].mean() == pytest.approx(ends[-1], abs=0.02)


EDITS = {
    "a value before a long delay": ([trim("t"), linear("e", 0.0)], [trim("t", 6), linear("e", 0.0)]),
    "a value inside it": ([linear("e", 2.0)], [linear("e", -4.0)]),
    "a value behind it": ([linear("e", 0.0), trim("t")], [linear("e", 0.0), trim("t", -6)]),
    "a value in front of a limiter": ([trim("t"), limiter("l")], [trim("t", 6), limiter("l")]),
    "added in front of it": ([linear("e", 3.0)], [trim("t", -6), linear("e", 3.0)]),
    "added behind it": ([linear("e", 3.0)], [linear("e", 3.0), trim("t", -6)]),
    "removed in front of it": ([trim("t", -6), linear("e", 3.0)], [linear("e", 3.0)]),
    "a long delay added": ([trim("t", 3), limiter("l")], [trim("t", 3), linear("e", -3.0), limiter("l")]),
    "a long delay removed": ([trim("t", 3), linear("e", -3.0), limiter("l")], [trim("t", 3), limiter("l")]),
    "a long delay switched on": ([linear("e", 6.0, on=False)], [linear("e", 6.0)]),
    "a long delay switched off": ([linear("e", 6.0)], [linear("e", 6.0, on=False)]),
    "its first band": ([linear("e")], [linear("e", 6.0)]),
    "its first band on the middle": ([linear("e")], [linear("e", 6.0, "mid")]),
    "its band from the middle to all": ([linear("e", 6.0, "mid")], [linear("e", 6.0)]),
    "a look-ahead switched on": ([ahead("c", makeup_db=-3, on=False)], [ahead("c", makeup_db=-3)]),
    "from stereo to the middle": ([ahead("c", makeup_db=3)], [ahead("c", makeup_db=3, channels="mid")]),
    "a limiter switched on": ([limiter("l", on=False), trim("t", -6)], [limiter("l"), trim("t", -6)]),
    "a response that becomes longer": ([linear("e", -4.0)], [linear("e", 2.0, low=True)]),
    "a response that becomes shorter": ([linear("e", -4.0, low=True)], [linear("e", 2.0)]),
    "another phase": ([minimum("e", 4.0)], [linear("e", 4.0)]),
    "another order": ([ahead("c"), trim("t", 3), linear("e", 3.0)], [linear("e", 3.0), trim("t", 3), ahead("c")]),
    "in one branch of two": (
        [copies("s", [linear("e", 0.0)], [trim("t")])],
        [copies("s", [linear("e", 0.0)], [trim("t", -12)])],
    ),
    "a long delay in one branch": ([copies("s", [trim("t")], [])], [copies("s", [trim("t"), linear("e", 6.0)], [])]),
    "another branch": ([copies("s", [], [])], [copies("s", [], [], [ahead("c")])]),
    "a split by bands": ([trim("t")], [trim("t"), {**copies("s", [], [], level_db=0.0), "params": {
        "by": "bands", "crossovers_hz": [300], "branches": [{"id": "low"}, {"id": "high", "gain_db": 3}]}}]),
}  # fmt: skip


@pytest.mark.parametrize("name", EDITS)
def test_an_edit_is_heard_at_once_and_without_a_hole(name):
    recipes = [recipe_of(*chain) for chain in EDITS[name]]
    ear, (first,) = heard_edits(recipes)
    assert_bounded(ear, recipes, first)
    before, after = (print_of(recipe)[0, 3 * RATE_HZ : 4 * RATE_HZ] for recipe in recipes)
    moved = np.abs(envelope_db(ear.now[0, first : first + RATE_HZ]) - envelope_db(before).mean()) > 0.1
    if abs(envelope_db(before).mean() - envelope_db(after).mean()) > 0.2:
        # the machine's own pace decides which block it is; a block or two later is soon
        assert np.argmax(moved) < SOON_FRAMES + 2 * block_frames(RATE_HZ)


POOL = [
    lambda rng, n: trim(n, float(rng.uniform(-6, 3))),
    lambda rng, n: linear(
        n,
        float(rng.uniform(-6, 3)),
        ("stereo", "mid", "left")[rng.integers(3)],
        bool(rng.random() < 0.7),
        low=bool(rng.random() < 0.5),
    ),
    lambda rng, n: linear(n),
    lambda rng, n: ahead(
        n, float(rng.choice([0.0, 5.0, 20.0])), float(rng.uniform(-3, 3)), on=bool(rng.random() < 0.7)
    ),
    lambda rng, n: limiter(n, float(rng.choice([1.0, 10.0])), on=bool(rng.random() < 0.7)),
    lambda rng, n: copies(
        n, [trim(f"{n}t", float(rng.uniform(-6, 3)))], [linear(f"{n}e", 2.0)][: int(rng.integers(2))]
    ),
]


def drawn(rng):
    names = rng.permutation(["a", "b", "c", "d", "f"])[: int(rng.integers(1, 5))]
    return recipe_of(*(POOL[rng.integers(len(POOL))](rng, str(name)) for name in names))


@pytest.mark.parametrize("seed", range(16))
def test_edits_upon_edits_are_bounded_by_all_of_them(seed):
    """Two within a hundred milliseconds, from wherever the ear is said to be."""
    rng = np.random.default_rng(seed)
    recipes = [drawn(rng) for _ in range(3)]
    ear, (first, _) = heard_edits(recipes, apart=int(rng.integers(200, 4800)), heard_late=int(rng.integers(4800)))
    assert_bounded(ear, recipes, first)
    printed = print_of(recipes[-1])
    span = slice(ear.heard - 8000, ear.heard)
    np.testing.assert_allclose(ear.now[:, span], printed[:, span], atol=1e-7)


def test_a_change_within_a_fade_does_not_click():
    recipes = [recipe_of(trim("t", gain_db)) for gain_db in (0, 12, -12, 6)]
    audition = Listener(recipes[0], {"mix": ArraySource(TONE, RATE_HZ)})
    ear = Ear(audition)
    ear.listen(RATE_HZ)
    for number, recipe in enumerate(recipes[1:], 1):
        audition.change(recipe, number, ear.heard)
        # less than the ten milliseconds of a fade
        for _ in range(2):
            ear.take(audition.render(100))
    ear.heard = audition.position - 200
    ear.listen(RATE_HZ // 2)
    assert heard_above_4k_db(ear.now[0, RATE_HZ - 4096 : ear.heard]) < -75


@pytest.mark.parametrize("later", [256, 600, 900])
def test_a_change_within_the_block_that_brought_another_goes_on_from_that(later):
    audition = Listener(recipe_of(trim("t")), {"mix": ArraySource(TONE, RATE_HZ)})
    ear = Ear(audition)
    ear.listen(RATE_HZ)
    for number, gain_db in enumerate((-12, -6), 1):
        audition.change(recipe_of(trim("t", gain_db)), number, ear.heard)
        ear.take(audition.render())
        ear.heard += later
    ear.listen(RATE_HZ // 2)
    assert heard_above_4k_db(ear.now[0, RATE_HZ - 4096 : ear.heard]) < -75
    assert envelope_db(ear.now[0, RATE_HZ + 2048 : RATE_HZ + 6000]).max() < LEVEL_DB + 0.01


def test_ears_that_change_within_a_fade_do_not_click():
    class Half(PassThrough):
        def __init__(self, gain):
            super().__init__()
            self.gain = gain

        def process(self, block):
            return block * self.gain

    audition = Listener(recipe_of(), {"mix": ArraySource(TONE, RATE_HZ)})
    ear = Ear(audition)
    ear.listen(RATE_HZ)
    for gain in (0.25, 1.0, 0.5):
        audition.listen(Half(gain), Half(gain), frozenset(), ear.heard)
        for _ in range(2):
            ear.take(audition.render(100))
    ear.heard = audition.position - 200
    ear.listen(RATE_HZ // 2)
    assert heard_above_4k_db(ear.now[0, RATE_HZ - 4096 : ear.heard]) < -75
    assert np.abs(ear.now[0, ear.heard - 2000 : ear.heard]).max() == pytest.approx(0.05, rel=1e-3)


def test_an_edit_and_a_comparison_in_one_turn_are_both_heard():
    """The comparison takes up an older moment than the edit did; it is brought to the edit as well."""
    before, after = recipe_of(trim("t")), recipe_of(trim("t", 6))
    for late in range(0, 2048, 128):
        audition = Listener(before, {"mix": ArraySource(TONE, RATE_HZ)})
        ear = Ear(audition)
        ear.listen(RATE_HZ + late)
        audition.change(after, 1, ear.heard)
        audition.compare("without:t", Piece(before, audition.sources), ear.heard)
        ear.listen(RATE_HZ // 2)
        level = 20 * np.log10(np.abs(ear.now[0, ear.heard - 4800 : ear.heard]).max())
        assert level == pytest.approx(LEVEL_DB + 6, abs=0.01)
        assert (ear.blocks[-1].revision, ear.blocks[-1].other_name) == (1, "without:t")


def test_an_edit_right_after_a_seek_is_heard_at_once_too():
    chain = [trim("t"), linear("e", 0.0), limiter("l")]
    audition = Listener(recipe_of(*chain), {"mix": ArraySource(TONE, RATE_HZ)})
    ear = Ear(audition)
    ear.listen(4800)
    audition.seek(4 * RATE_HZ)
    ear.heard = audition.position
    ear.listen(2400)
    at = ear.heard
    audition.change(recipe_of(trim("t", 6), *chain[1:]), 1, at)
    ear.listen(RATE_HZ // 2)
    heard = ear.now[0, at - 2048 : ear.heard]
    assert heard_above_4k_db(heard) < -75
    level = envelope_db(heard)
    assert level.min() > LEVEL_DB - 0.1
    assert np.argmax(level > LEVEL_DB + 5.9) < 2048 + SOON_FRAMES + 3 * block_frames(RATE_HZ)


def test_soloing_a_bus_is_heard_through_a_long_delay_at_once():
    buses = [{"id": "a"}, {"id": "b", "gain_db": -6}]
    recipe = recipe_of(linear("e", 0.0), buses=buses)
    audition = Listener(recipe, {name: ArraySource(TONE, RATE_HZ) for name in "ab"})
    ear = Ear(audition)
    ear.listen(RATE_HZ)
    at = ear.heard
    audition.listen(PassThrough(), PassThrough(), frozenset({"a"}), at)
    ear.listen(RATE_HZ // 2)
    level = envelope_db(ear.now[0, at : ear.heard])
    assert np.argmax(level < LEVEL_DB - 5.9) < SOON_FRAMES + 3 * block_frames(RATE_HZ)
    assert level[-1000:].mean() == pytest.approx(LEVEL_DB - 6, abs=0.05)
    assert heard_above_4k_db(ear.now[0, at - 2048 : ear.heard]) < -75


def test_a_tap_behind_a_long_delay_is_heard_at_once():
    recipe = recipe_of(
        trim("t", -6), {"id": "m", "kind": "trim", "mix": 0.5, "params": {"gain_db": -6}}, linear("e", 0.0)
    )
    audition = Listener(recipe, {"mix": ArraySource(TONE, RATE_HZ)})
    ear = Ear(audition)
    ear.listen(RATE_HZ)
    at = ear.heard
    audition.tap("e", "removed", at)
    ear.listen(RATE_HZ // 2)
    level = envelope_db(ear.now[0, at : ear.heard])
    assert np.argmax(level < -100) < SOON_FRAMES + 4 * block_frames(RATE_HZ)
    assert heard_above_4k_db(ear.now[0, at - 2048 : ear.heard]) < -60


SLOW = [
    {"id": "c", "kind": "compressor", "params": {"threshold_db": -40, "ratio": 4, "release_ms": 3000}},
    {"id": "o", "kind": "compressor", "params": {"threshold_db": -35, "ratio": 3, "release_mode": "optical"}},
]


@pytest.mark.parametrize("slow", SLOW, ids=["three seconds", "optical"])
def test_after_a_seek_one_hears_the_print_from_the_first_block_on(slow, monkeypatch):
    monkeypatch.setattr(render_path, "PREROLL_WORK_S", 60.0)  # however slow the machine
    rng = np.random.default_rng(2)
    # loud passages that the stage is still letting go of where one jumps to
    x = music(45.0) * np.repeat(rng.choice([0.05, 0.9], 45), RATE_HZ)
    recipe = recipe_of(trim("t", 1), slow, limiter("l"))
    printed = print_of(recipe, x)
    audition = Listener(recipe, {"mix": ArraySource(x, RATE_HZ)})
    for second in (40, 33, 21):
        audition.seek(second * RATE_HZ)
        for _ in range(3):
            played = audition.render()
            span = slice(played.song, played.song + played.now.shape[1])
            for heard, wanted in zip(played.now, printed[:, span], strict=True):
                audible = np.abs(wanted) > 1e-3
                apart_db = 20 * np.log10(np.abs(heard[audible] / wanted[audible]))
                assert np.abs(apart_db).max() < 0.1


def test_a_chain_too_slow_to_hear_all_that_it_remembers_hears_the_last_second(monkeypatch):
    monkeypatch.setattr(render_path, "PREROLL_WORK_S", 0.0)
    x = tone(1000, LEVEL_DB, 12)
    recipe = recipe_of(SLOW[0], trim("t", 1), limiter("l"))
    audition = Listener(recipe, {"mix": ArraySource(x, RATE_HZ)})
    audition.seek(10 * RATE_HZ)
    printed = print_of(recipe, x)
    played = audition.render()
    span = slice(played.song, played.song + played.now.shape[1])
    heard_db, printed_db = (10 * np.log10(np.mean(y**2) + 1e-20) for y in (played.now, printed[:, span]))
    assert heard_db == pytest.approx(printed_db, abs=3.0)


def test_what_was_remembered_behind_a_new_delay_goes_on_as_it_was():
    """A long release in the middle of its way does not hear the silence that the new delay is filled with."""
    x = tone(1000, -3, 12)
    x[:, 2 * RATE_HZ :] *= 0.01
    slow = {"id": "c", "kind": "compressor", "params": {"threshold_db": -40, "ratio": 4, "release_ms": 3000}}
    recipes = [recipe_of(slow), recipe_of(linear("e", 0.0), slow)]
    audition = Listener(recipes[0], {"mix": ArraySource(x, RATE_HZ)})
    ear = Ear(audition)
    ear.listen(2 * RATE_HZ + 24000)
    at = ear.heard
    audition.change(recipes[1], 1, at)
    ear.listen(RATE_HZ // 2)
    printed = print_of(recipes[1], x)
    span = slice(at + 4800, ear.heard)
    np.testing.assert_allclose(ear.now[:, span], printed[:, span], rtol=0.01, atol=1e-6)


def test_kept_moments_share_what_is_never_written_to():
    """64 of them with a linear-phase equalizer at 192 kHz stay below 64 MB a road."""
    import tracemalloc

    rate_hz = 192000
    x = music(4.0, rate_hz)
    tracemalloc.start()
    audition = Listener(recipe_of(trim("t"), linear("e", 3.0, "mid"), limiter("l")), {"mix": ArraySource(x, rate_hz)})
    for _ in range(4):
        audition.render()
    before = tracemalloc.get_traced_memory()[0]
    for _ in range(66):
        audition.render()
    grown = tracemalloc.get_traced_memory()[0] - before
    tracemalloc.stop()
    assert grown / 2 < 64e6
