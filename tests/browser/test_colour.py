"""Colour by hand: a hit is shaped and seen on the scope, hits are brought out of a mix."""

import base64

import numpy as np
import pytest
from playwright.sync_api import expect

from tests.browser.driving import COLLECT
from tests.browser.sound import Below, amplitude_db, expect_sound, expect_tones, peak, steady_tone
from tests.browser.test_splits import bench_row
from tests.conftest import RATE_HZ, tone

pytestmark = pytest.mark.live
MASTER = [
    {"kind": "clipper", "params": {"ceiling_db": 0}},
    {"kind": "saturator", "params": {"amount": 0}},
    {"kind": "room", "mix": 0},
]


def strokes(seconds):
    """Four a second, each a burst of noise that dies away in 10 ms."""
    rng = np.random.default_rng(3)
    x = np.zeros(round(seconds * RATE_HZ))
    for at in range(6000, x.size - 4000, 12000):
        x[at : at + 2400] += 0.5 * rng.standard_normal(2400) * np.exp(-np.arange(2400) / 480)
    return np.stack([x, x])


def at_hand(page, stage, name):
    """The largest of a row that the chosen stage shows."""
    page.wait_for_function(f"window.tinKettle.player.now()?.moment.meters.curves.{name}?.length > 0")
    return page.evaluate(f"Math.max(...window.tinKettle.player.now().moment.meters.curves.{name}.map(Math.abs))")


def test_a_hit_is_shaped_and_seen_on_the_scope(bench, add_song):
    bench.open(add_song(tone(300, -6, 30), "Crest", master=MASTER))
    bench.plain()
    page = bench.page
    bench.play()
    bench_row(page, "s0").click()
    assert at_hand(page, "s0", "scope_after") == pytest.approx(0.5, abs=0.02)
    ceiling = page.get_by_label("Stage").get_by_role("slider", name="Ceiling")
    ceiling.focus()
    page.keyboard.type("-12")
    page.keyboard.press("Enter")
    page.wait_for_function("Math.max(...window.tinKettle.player.now().moment.meters.curves.scope_after) < 0.26")
    assert at_hand(page, "s0", "scope_before") == pytest.approx(0.5, abs=0.02)
    # what is heard is what is shown
    expect_sound(bench, peak, pytest.approx(0.25, abs=0.01))
    page.get_by_label("Stage").get_by_role("slider", name="Mix").press("Home")
    expect_sound(bench, peak, pytest.approx(0.5, abs=0.01))
    bench_row(page, "s1").click()
    page.get_by_label("Stage").get_by_role("slider", name="Amount").press("Delete")
    page.get_by_label("Stage").get_by_role("slider", name="Drive").press("End")
    x = expect_sound(bench, lambda x: amplitude_db(x[0], 900) > -45, True)
    assert amplitude_db(x[0], 600) < -90, "the same both ways: odd harmonics only"
    page.get_by_label("Stage").get_by_role("slider", name="Amount").press("Home")
    expect_tones(bench, {900: Below(-90)})
    bench_row(page, "s2").click()
    expect(page.get_by_label("Stage")).to_contain_text("in mono the space alone is")


def test_hits_are_brought_out_of_a_mix_by_listening(bench, add_song):
    bench.open(add_song(strokes(30) + tone(440, -14, 30), "Struck", master=[{"kind": "trim"}]))
    bench.plain()
    page = bench.page
    bench.play()
    before = bench.record(96000)
    page.get_by_label("Band", exact=True).get_by_role("radio", name="band").click()
    page.evaluate("window.tinKettle.act.listenAs({ low_hz: 2000, high_hz: 8000 })")
    page.get_by_role("button", name="bring out its hits").click()
    page.wait_for_function("window.tinKettle.state().recipe.master.length === 2")
    assert bench.state("listening.range") == "all", "everything is heard again"
    branches = bench.state("recipe.master[1].params.branches")
    assert [branch["name"] for branch in branches] == ["Hits around 4 kHz", "Tonal", "Rest"]
    assert [stage["kind"] for stage in branches[0]["chain"]] == ["equalizer", "saturator"]
    page.wait_for_timeout(600)
    after = bench.record(96000)
    assert amplitude_db(after[0], 440) == pytest.approx(amplitude_db(before[0], 440), abs=0.5), "the tone stays"

    def struck_db(x):
        lines = np.abs(np.fft.rfft(x[0] * np.hanning(x.shape[1])))
        hz = np.fft.rfftfreq(x.shape[1], 1 / RATE_HZ)
        return 10 * np.log10(np.sum(lines[(hz > 2500) & (hz < 7000)] ** 2) / x.shape[1])

    assert struck_db(after) - struck_db(before) > 2
    bench.saved()
    page.keyboard.press("Control+z")
    page.wait_for_function("window.tinKettle.state().recipe.master.length === 1")


def test_the_match_follows_the_hand_that_makes_louder(bench, add_song):
    """12 dB of drive on what meets no bend: all that changes is the level."""
    stage = {"kind": "saturator", "params": {"curve": "hard", "link_trim": False, "drive_db": 0}}
    bench.open(add_song(tone(1000, -40, 30), "Driven", master=[stage]))
    page = bench.page
    page.evaluate("window.tinKettle.act.setMonitor(0); window.tinKettle.act.setQueue(400)")
    bench_row(page, "s0").click()
    bench.surveyed()

    def louder_by_db():
        """How far above where it was the level ever is while drive goes up by 12 dB in a second and a half."""
        bench.play()
        before = steady_tone(bench, 1000)
        page.get_by_label("Stage").get_by_role("slider", name="Drive").focus()
        page.evaluate(f"() => {{ window.recorded = ({COLLECT})({5 * RATE_HZ}); }}")
        for _ in range(40):
            page.keyboard.press("ArrowRight")
            page.wait_for_timeout(35)
        assert bench.state("recipe.master[0].params.drive_db") == 12
        sound = np.frombuffer(base64.b64decode(page.evaluate("window.recorded")), dtype="<f4").reshape(2, -1)[0]
        page.keyboard.press("Space")
        return max(amplitude_db(sound[at : at + 2400], 1000) - before for at in range(0, sound.size - 2400, 2400))

    assert louder_by_db() < 4
