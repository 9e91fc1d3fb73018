"""Pins are made, dragged, typed, deleted and undone; what is heard is what is drawn."""

import numpy as np
import pytest
from playwright.sync_api import expect

from tests.browser.sound import Below, expect_tones, steady_tone
from tests.conftest import tone

pytestmark = pytest.mark.live


@pytest.fixture
def equalizer(bench, add_song):
    song = add_song(tone(1000, -20, 30), "Equal", master=[{"id": "eq", "kind": "equalizer"}])
    bench.open(song)
    bench.plain()
    bench.play()
    return bench


def bands(bench):
    return bench.state("recipe.master[0].params.bands")


def plot(bench):
    return bench.page.get_by_test_id("equalizer").bounding_box()


def x_of(box, hz):
    return box["x"] + 34 + (box["width"] - 44) * np.log(hz / 8) / np.log(24000 / 8)


def test_a_pin_is_made_dragged_and_heard(equalizer):
    box = plot(equalizer)
    before = steady_tone(equalizer, 1000)
    equalizer.page.mouse.dblclick(x_of(box, 1000), box["y"] + box["height"] * 0.25)
    [band] = bands(equalizer)
    assert band["hz"] == pytest.approx(1000, rel=0.01)
    assert band["gain_db"] > 1
    pin = equalizer.page.locator("[data-band=b1]")
    at = pin.bounding_box()
    equalizer.page.mouse.move(at["x"] + 9, at["y"] + 9)
    equalizer.page.mouse.down()
    equalizer.page.mouse.move(at["x"] + 9, box["y"] + box["height"] * 0.8, steps=8)
    equalizer.page.mouse.up()
    [band] = bands(equalizer)
    assert band["gain_db"] < -2
    # the picture that Python drew has the band's gain at its frequency
    equalizer.page.wait_for_function(
        "(gain) => Math.abs(Math.min(...(window.tinKettle.state().described.eq?.picture.plots?.stereo ?? [0])) - gain)"
        " < 0.05",
        arg=band["gain_db"],
    )
    expect_tones(equalizer, {1000: pytest.approx(before + band["gain_db"], abs=0.05)})


def test_pins_obey_the_keyboard(equalizer):
    page = equalizer.page
    page.get_by_role("button", name="+ band").click()
    pin = page.locator("[data-band=b1]")
    pin.focus()
    for _ in range(4):
        page.keyboard.press("ArrowUp")
    page.keyboard.press("ArrowRight")
    page.keyboard.press("PageUp")
    [band] = bands(equalizer)
    assert band["gain_db"] == 2
    assert band["hz"] == pytest.approx(1000 * 2 ** (1 / 12), rel=1e-3)
    assert band["q"] == pytest.approx(1.1)
    page.keyboard.press("c")
    assert [b["channels"] for b in bands(equalizer)] == ["mid", "side"]
    expect(page.locator("[data-band=b2]")).to_be_visible()
    page.locator("[data-band=b2]").focus()
    page.keyboard.press("Delete")
    assert len(bands(equalizer)) == 1
    equalizer.saved()
    page.keyboard.press("Control+z")
    page.wait_for_function("window.tinKettle.state().recipe.master[0].params.bands.length === 2")


def test_a_side_band_leaves_the_mid_alone(equalizer):
    page = equalizer.page
    page.get_by_role("button", name="+ band").click()
    page.get_by_label("Channels of band 1").click()
    page.get_by_role("option", name="side").click()
    gain = page.get_by_label("Band 1").get_by_role("slider", name="Gain")
    gain.focus()
    page.keyboard.press("Enter")
    page.keyboard.type("-12")
    page.keyboard.press("Enter")
    assert bands(equalizer)[0]["gain_db"] == -12
    expect_tones(equalizer, {1000: pytest.approx(-20, abs=0.01)})
    expect(page.locator("[data-stage=eq]")).to_contain_text("12 dB off around 1 kHz, side only")


def test_the_search_band_follows_the_pointer_and_becomes_a_pin(equalizer):
    page, box = equalizer.page, plot(equalizer)
    page.get_by_role("button", name="Sweep").click()
    page.mouse.move(x_of(box, 4000), box["y"] + 100)
    expect(page.get_by_test_id("equalizer")).to_contain_text("kHz")
    expect_tones(equalizer, {1000: Below(-80)})
    page.mouse.move(x_of(box, 1000), box["y"] + 100)
    expect_tones(equalizer, {1000: pytest.approx(-20, abs=0.6)})
    page.mouse.click(x_of(box, 1000), box["y"] + 100)
    assert bands(equalizer)[0]["hz"] == pytest.approx(1000, rel=0.01)
    page.get_by_role("button", name="Sweep").click()
    assert equalizer.state("listening.range") == "all"


def test_linear_phase_is_heard_at_the_same_level(equalizer):
    page = equalizer.page
    page.get_by_role("button", name="+ band").click()
    page.locator("[data-band=b1]").focus()
    for _ in range(6):
        page.keyboard.press("ArrowDown")
    minimum = steady_tone(equalizer, 1000)
    page.get_by_role("radio", name="linear phase").click()
    equalizer.saved()
    expect_tones(equalizer, {1000: pytest.approx(minimum, abs=0.02)})
    assert minimum == pytest.approx(-23, abs=0.05)
