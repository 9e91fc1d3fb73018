"""Dynamics by frequency, by hand: pins that reach, bands, what stands out; what is heard is what is shown."""

import numpy as np
import pytest
from playwright.sync_api import expect

from tests.browser.sound import Below, amplitude_db, expect_sound, expect_tones, steady_tone
from tests.browser.test_splits import bench_row
from tests.conftest import noise, tone

pytestmark = pytest.mark.live
BANDS = [{"id": name, "threshold_db": -30} for name in ("low", "mid", "high")]
MASTER = [
    {"kind": "dynamic_equalizer"},
    {"kind": "band_dynamics", "params": {"crossovers_hz": [200, 2000], "bands": BANDS}},
    {"kind": "tamer", "params": {"threshold_db": 6, "strength": 0}},
    {"kind": "leveller"},
]


@pytest.fixture
def playing(bench, add_song):
    sound = tone(300, -20, 30) + tone(6000, -20, 30) + noise(-60, 30)
    bench.open(add_song(sound, "Moving", master=MASTER))
    bench.plain()
    bench.play()
    return bench


def params(bench, stage):
    return bench.state(f"recipe.master.find(({{ id }}) => id === '{stage}').params")


def drag(page, element, by):
    box = element.bounding_box()
    page.mouse.move(box["x"] + box["width"] / 2, box["y"] + box["height"] / 2)
    page.mouse.down()
    page.mouse.move(box["x"] + box["width"] / 2 + by[0], box["y"] + box["height"] / 2 + by[1], steps=8)
    page.mouse.up()


def test_a_pin_reaches_as_far_as_it_is_drawn_and_moves_by_what_it_hears(playing):
    page = playing.page
    bench_row(page, "s0").click()
    before = steady_tone(playing, 6000)
    plot = page.get_by_test_id("pins").bounding_box()
    x = plot["x"] + 34 + (plot["width"] - 44) * np.log(6000 / 8) / np.log(24000 / 8)
    page.mouse.dblclick(x, plot["y"] + plot["height"] * 0.3)
    [pin] = params(playing, "s0")["bands"]
    assert pin["hz"] == pytest.approx(6000, rel=0.01) and pin["range_db"] == -6
    drag(page, page.get_by_role("slider", name="Range of band 1"), (0, 12))
    reach = params(playing, "s0")["bands"][0]["range_db"]
    assert reach < -6
    page.get_by_role("slider", name="Range of band 1").press("ArrowUp")
    reach = params(playing, "s0")["bands"][0]["range_db"]
    page.get_by_label("Stage").get_by_role("slider", name="Ratio").press("End")
    page.get_by_label("Stage").get_by_role("slider", name="Threshold").press("Home")
    reaches = f"Math.abs(window.tinKettle.player.now().moment.meters.stages.s0?.effort_p1?.at(-1) - {reach}) < 0.1"
    page.wait_for_function(reaches)
    # all of its reach; what it does not hear stays
    expect_tones(playing, {6000: pytest.approx(before + reach, abs=0.5), 300: pytest.approx(-20, abs=0.3)})
    page.get_by_label("Stage").get_by_role("slider", name="Threshold").press("End")
    page.wait_for_function("window.tinKettle.player.now().moment.meters.stages.s0?.effort_p1?.at(-1) === 0")
    expect_tones(playing, {6000: pytest.approx(before, abs=0.3)})
    page.get_by_role("button", name="Presets ▾").click()
    page.get_by_role("menuitem", name="De-ess").click()
    assert params(playing, "s0")["bands"][0]["id"] == "s"
    page.get_by_role("button", name="Band 1: bell").press("Delete")
    assert params(playing, "s0")["bands"] == []
    assert playing.state("recipe.master.length") == 4, "Delete is the pin's, not the stage's"


def test_bands_are_held_moved_alike_and_heard_alone(playing):
    page = playing.page
    bench_row(page, "s1").click()
    page.get_by_role("button", name="3 · 2.00 kHz").or_(page.get_by_role("button", name="3 · 2 kHz")).first.click()
    section = page.get_by_label("Band 3", exact=True)
    section.get_by_role("slider", name="Ratio").press("End")
    section.get_by_role("slider", name="Attack").press("Home")
    expect_tones(playing, {300: pytest.approx(-20, abs=0.2), 6000: Below(-26)})
    before = [band["threshold_db"] for band in params(playing, "s1")["bands"]]
    page.keyboard.down("Alt")
    drag(page, section.get_by_role("slider", name="Threshold"), (-20, 0))
    page.keyboard.up("Alt")
    after = [band["threshold_db"] for band in params(playing, "s1")["bands"]]
    assert after[0] < before[0]
    assert np.ptp(np.array(after) - np.array(before)) < 1e-6, "all by as much"
    page.get_by_role("slider", name="Crossover 2").press("ArrowRight")
    assert params(playing, "s1")["crossovers_hz"][1] == pytest.approx(2000 * 2 ** (1 / 12), rel=0.01)
    page.get_by_role("button", name="Solo band 3").click()
    expect_tones(playing, {300: Below(-60)})
    page.get_by_role("button", name="Solo band 3").click()
    page.get_by_role("button", name="− band").click()
    page.get_by_role("button", name="− band").click(trial=True, force=True)
    assert [len(params(playing, "s1")[name]) for name in ("crossovers_hz", "bands")] == [1, 2]
    page.get_by_role("button", name="+ band").click()
    assert [len(params(playing, "s1")[name]) for name in ("crossovers_hz", "bands")] == [2, 3]
    playing.saved()


def test_what_stands_out_is_shown_taken_and_kept(playing):
    page = playing.page
    bench_row(page, "s2").click()
    page.wait_for_function("window.tinKettle.player.now().moment.meters.curves.level_db?.length === 240")
    page.get_by_label("Stage").get_by_role("slider", name="Strength").press("End")
    # as much as it may take
    expect_tones(playing, {6000: pytest.approx(-32, abs=0.5)})
    page.wait_for_function("Math.max(...window.tinKettle.player.now().moment.meters.curves.cut_db) > 11")
    page.get_by_role("slider", name="Begin of the focus").press("PageUp")
    assert params(playing, "s2")["focus_low_hz"] == pytest.approx(3000, rel=0.01)
    page.get_by_label("Output").get_by_text("removed").click()
    expect_sound(playing, lambda x: amplitude_db(x[0], 6000) > -23 and amplitude_db(x[0], 300) < -60, True)
    bench_row(page, "s3").click()
    page.get_by_label("Stage").get_by_role("slider", name="Range").press("End")
    page.wait_for_function("window.tinKettle.player.now().moment.meters.stages.s3.level_average.length > 0")
    expect(page.get_by_label("Stage")).to_contain_text("rests are not raised")


def test_the_lows_are_spared_in_two_ways_that_are_told_apart(bench, add_song):
    hits = np.repeat(np.tile([1.0, 0.1], 10), 24000)
    hold = {"kind": "compressor", "params": {"threshold_db": -26, "ratio": 4}}
    bench.open(add_song(tone(60, -18, 10) + tone(2000, -12, 10) * hits, "Lows", master=[hold]))
    page = bench.page
    bench_row(page, "s0").click()
    page.get_by_role("button", name="Side-chain or split …").click()
    dialog = page.get_by_role("dialog")
    expect(dialog).to_contain_text("The detector ignores everything below 100 Hz")
    expect(dialog).to_contain_text("The lows below 100 Hz are not compressed")
    dialog.get_by_role("button", name="Listen").nth(1).click()
    page.wait_for_function("window.tinKettle.state().heard.startsWith('version:')")
    page.keyboard.press("Escape")
    versions = bench.server.ask(f"/api/songs/{bench.state('song.id')}/versions")
    assert [version["name"] for version in versions] == ["Detector high-pass 100 Hz", "Split at 100 Hz"]
    assert bench.state("recipe.master.length") == 1, "the song itself stays as it is"
