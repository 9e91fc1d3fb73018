"""Ways of listening and comparing: proved on the samples that leave the player."""

import re

import numpy as np
import pytest
from playwright.sync_api import expect

from tests.browser.sound import Below, expect_level, expect_sound, expect_tones, steady_level
from tests.conftest import music, noise, tone, write_wav

pytestmark = pytest.mark.live


def stereo_tones():
    """800 Hz in the mid, 2 kHz in the side, 50 Hz in the mid."""
    mid = tone(800, -20, 20)[0] + tone(50, -20, 20)[0]
    side = tone(2000, -26, 20)[0]
    return np.stack([mid + side, mid - side])


@pytest.fixture
def playing(bench, add_song):
    bench.open(add_song(stereo_tones(), "Parts"))
    bench.plain()
    bench.play()
    return bench


def test_folds_let_through_what_they_say(playing):
    expect_tones(playing, {800: pytest.approx(-20, abs=0.1), 2000: pytest.approx(-26, abs=0.1)})
    playing.page.keyboard.press("o")
    x = expect_tones(playing, {800: pytest.approx(-20, abs=0.1), 2000: Below(-90)})
    np.testing.assert_array_equal(x[0], x[1])
    playing.page.keyboard.press("i")
    expect_tones(playing, {2000: pytest.approx(-26, abs=0.1), 800: Below(-90)})
    expect(playing.page.get_by_label("Hearing", exact=True)).to_contain_text("the side only")
    playing.page.get_by_label("Listening", exact=True).get_by_label("Channels").click()
    playing.page.get_by_role("option", name=re.compile("^one speaker")).click()
    expect_sound(playing, lambda x: np.abs(x[1]).max(), 0)
    playing.page.keyboard.press("Escape")
    expect_tones(playing, {2000: pytest.approx(-26, abs=0.1)}, row=1)
    expect(playing.page.get_by_label("Hearing", exact=True)).to_have_text("listening to the song as it is now")


def test_only_the_lows_and_another_place(playing):
    playing.page.keyboard.press("w")
    expect_tones(playing, {50: pytest.approx(-20, abs=0.1), 800: Below(-90)})
    bar = playing.page.get_by_label("Listening", exact=True)
    bar.get_by_label("Lows below").press("Home")
    expect(playing.page.get_by_label("Hearing", exact=True)).to_contain_text("only below 40 Hz")
    expect(bar.get_by_text("lows against the rest")).to_contain_text("dB")
    expect_tones(playing, {50: Below(-26)})
    playing.page.get_by_role("radio", name="band", exact=True).click()
    bar.get_by_label("From", exact=True).press("Home")
    expect(playing.page.get_by_label("Hearing", exact=True)).to_contain_text("only 20 Hz to 5 kHz")
    expect_tones(playing, {50: pytest.approx(-20, abs=0.5)})
    playing.page.get_by_role("radio", name="all", exact=True).click()
    playing.page.get_by_label("Speakers").click()
    playing.page.get_by_role("option", name=re.compile("^Phone")).click()
    # one speaker: what is only wide is gone
    expect_tones(playing, {50: Below(-70), 2000: Below(-80)})
    expect(playing.page.get_by_label("Hearing", exact=True)).to_contain_text("as in: phone")


def test_versions_are_compared_at_equal_loudness_and_restored(bench, add_song):
    song = add_song(tone(1000, -20, 30), "Versions", master=[{"id": "t", "kind": "trim"}])
    bench.open(song)
    page = bench.page
    page.get_by_role("button", name="Compare …").click()
    page.get_by_role("button", name="Keep as a version").click()
    expect(page.get_by_label("Versions").get_by_text("Version A")).to_be_visible()
    page.keyboard.press("Escape")
    page.evaluate("window.tinKettle.act.move('t', 'gain_db', -6)")
    bench.surveyed()
    bench.page.evaluate("window.tinKettle.act.setMonitor(0)")
    bench.play()
    now = steady_level(bench)
    page.keyboard.press("3")
    expect(page.get_by_label("Match loudness")).to_contain_text("version a −6.0 dB")
    expect(page.get_by_label("Match loudness")).to_contain_text("loudness matched")
    expect_level(bench, pytest.approx(now, abs=0.1))
    page.keyboard.press("m")
    expect_level(bench, pytest.approx(now + 6, abs=0.1))
    page.get_by_role("button", name="Compare …").click()
    page.get_by_role("button", name="What differs").click()
    expect(page.get_by_role("table")).to_contain_text("Gain")
    page.get_by_label("Compare Version A with").click()
    page.get_by_role("option", name="received").click()
    expect(page.get_by_role("table")).to_contain_text("there")
    page.get_by_label("Compare Version A with").click()
    page.get_by_role("option", name="now", exact=True).click()
    page.get_by_role("button", name="Restore").click()
    assert bench.state("recipe.master[0].params.gain_db") == 0
    bench.saved()


def test_keys_go_from_one_version_to_another_and_to_no_stage_at_all(bench, add_song, server):
    song = add_song(tone(1000, -20, 40), "Many", master=[{"id": "t", "kind": "trim"}])
    for gain in (-3, -9):
        stage = {"id": "t", "kind": "trim", "params": {"gain_db": gain}}
        server.save(song, {"format": "tin-kettle-recipe", "version": 1, "master": [stage]})
        server.ask(f"/api/songs/{song}/versions", {"name": f"{gain} dB"})
    stage = {"id": "t", "kind": "trim", "params": {"gain_db": -6}}
    server.save(song, {"format": "tin-kettle-recipe", "version": 1, "master": [stage]})
    bench.open(song)
    bench.plain()
    expect(bench.page.get_by_label("Compare", exact=True)).to_contain_text("-9 dB")
    order = bench.page.get_by_label("Compare", exact=True).get_by_role("button").all_inner_texts()
    keys = {text.split("\n")[0]: str(index + 1) for index, text in enumerate(order)}
    bench.play()
    wanted = [("-3 dB", -23), ("-9 dB", -29), ("Received", -20), ("-3 dB", -23), ("Now", -26), ("-9 dB", -29)]
    for name, level in wanted:
        bench.page.keyboard.press(keys[name])
        expect_tones(bench, {1000: pytest.approx(level, abs=0.05)})
    bench.page.keyboard.press("n")
    expect_tones(bench, {1000: pytest.approx(-20, abs=0.05)})
    expect(bench.page.get_by_label("Hearing", exact=True)).to_contain_text("bypass all")
    bench.page.get_by_role("button", name="Bypass all", exact=True).last.click()
    expect_tones(bench, {1000: pytest.approx(-26, abs=0.05)})
    # matched, every key is as loud as any other
    bench.page.keyboard.press("m")
    for name, _ in wanted:
        bench.page.keyboard.press(keys[name])
        expect(bench.page.get_by_label("Match loudness")).to_contain_text("loudness matched")
        bench.page.wait_for_function("window.tinKettle.state().match.now_db < -2.9")
        expect_tones(bench, {1000: pytest.approx(-29, abs=0.1)})


def drag(page, box, start, end, shift=False):
    """From one place of a box to another, in shares of its width and height."""
    points = [(box["x"] + x * box["width"], box["y"] + y * box["height"]) for x, y in (start, end)]
    if shift:
        page.keyboard.down("Shift")
    page.mouse.move(*points[0])
    page.mouse.down()
    page.mouse.move(*points[1], steps=6)
    page.mouse.up()
    if shift:
        page.keyboard.up("Shift")


def test_a_range_dragged_on_a_spectrum_is_heard_alone(bench, add_song):
    bench.open(add_song(stereo_tones(), "Range", master=[{"id": "f", "kind": "filter"}]))
    bench.plain()
    bench.play()
    picture = bench.page.get_by_role("img", name="Frequency response of the filter over the spectrum of the music")
    box = picture.bounding_box()
    along = [34 + (box["width"] - 42) * np.log(hz / 8) / np.log(3000) for hz in (500, 1200)]
    shares = [x / box["width"] for x in along]
    drag(bench.page, box, (shares[0], 0.4), (shares[1], 0.4), shift=True)
    listening = bench.state("listening")
    assert listening["range"] == "band"
    assert listening["low_hz"] == pytest.approx(500, rel=0.05)
    assert listening["high_hz"] == pytest.approx(1200, rel=0.05)
    expect_tones(bench, {800: pytest.approx(-20, abs=0.5), 50: Below(-60)})
    drag(bench.page, box, (0.5, 0.4), (0.5, 0.4), shift=True)
    assert bench.state("listening.range") == "all"
    expect_tones(bench, {50: pytest.approx(-20, abs=0.1)})


def test_the_detectors_pin_is_dragged_and_heard_meanwhile(bench, add_song):
    params = {"threshold_db": 0, "detector_filters": [{"kind": "high_pass", "hz": 20, "slope": 24}]}
    bench.open(add_song(stereo_tones(), "Detector", master=[{"id": "c", "kind": "compressor", "params": params}]))
    page = bench.page
    page.get_by_role("radio", name="detector filters", exact=True).click()
    bench.plain()
    bench.play()
    page.get_by_label("listen while dragging").check()
    pin = page.get_by_role("button", name="Detector filter 1: high pass at 20 Hz")
    box = pin.bounding_box()
    page.mouse.move(box["x"] + 9, box["y"] + 9)
    page.mouse.down()
    page.mouse.move(box["x"] + 90, box["y"] + 9, steps=8)
    hz = bench.state("recipe.master[0].params.detector_filters[0].hz")
    assert 200 < hz < 2000
    assert bench.state("tap") == "detector"
    # what it listens to, without its lows
    expect_tones(bench, {50: Below(-40)})
    page.mouse.up()
    assert bench.state("tap") == "result"
    expect_tones(bench, {50: pytest.approx(-20, abs=0.1)})
    page.wait_for_function("window.tinKettle.player.now().moment.meters.inside.detector?.[0].length > 200")
    page.get_by_role("button", name="Detector filter 1: high").focus()
    page.keyboard.press("ArrowRight")
    page.wait_for_function(f"window.tinKettle.state().recipe.master[0].params.detector_filters[0].hz > {hz}")
    bench.saved()


def test_a_chain_too_heavy_to_play_says_so_and_its_loop_is_rendered_ahead(bench, add_song):
    filters = [{"kind": "high_pass", "hz": 100, "slope": 24}] * 3
    work = {"threshold_db": 0, "link": 0.5, "detector": "rms", "release_mode": "optical", "detector_filters": filters}
    master = [{"kind": "trim"}, *({"kind": "compressor", "params": work} for _ in range(80))]
    bench.open(add_song(tone(1000, -20, 4, 192000), "Heavy", rate_hz=192000, master=master))
    page = bench.page
    bench.plain()
    page.keyboard.press("Space")
    page.get_by_role("button", name="render 8 s from here and loop them").click()
    page.evaluate("window.tinKettle.act.setLoop([96000, 144000])")
    expect(page.get_by_text("the loop is played as rendered ahead")).to_be_visible()
    bench.record(48000)
    x = bench.record(96000)
    assert np.sqrt(np.mean(x[0] ** 2) * 2) == pytest.approx(0.1, rel=1e-3), "without a gap"
    page.evaluate("window.tinKettle.act.move('s0', 'gain_db', -6)")
    expect(page.get_by_text(re.compile("rendering the loop, "))).to_be_visible()
    page.keyboard.press("Escape")


TWO_DEVICES = """
navigator.mediaDevices.enumerateDevices = async () => [
  { kind: "audiooutput", deviceId: "default", label: "Desk" },
  { kind: "audiooutput", deviceId: "phones", label: "Headphones" },
  { kind: "audioinput", deviceId: "mic", label: "Microphone" },
];
AudioContext.prototype.setSinkId = async (id) => { window.sink = id; };
"""


def test_the_sound_goes_to_another_device(bench, tone_song):
    bench.page.add_init_script(TWO_DEVICES)
    bench.open(tone_song, tapped=False)
    bench.page.get_by_role("button", name=re.compile("kHz · .* ahead")).click()
    bench.page.get_by_label("Output device").click()
    assert bench.page.get_by_role("option").all_inner_texts() == ["Desk", "Headphones"]
    bench.page.get_by_role("option", name="Headphones").click()
    bench.page.wait_for_function("window.sink === 'phones'")


def test_without_a_stage_is_matched_too(bench, add_song):
    master = [{"id": "t", "kind": "trim", "params": {"gain_db": 4}}]
    bench.open(add_song(tone(1000, -20, 30), "Without", master=master))
    bench.surveyed()
    bench.plain()
    bench.page.get_by_role("button", name="Bypass", exact=True).click()
    expect(bench.page.get_by_label("Match loudness")).to_contain_text("now would go −4.0 dB")
    bench.play()
    without = steady_level(bench)
    bench.page.keyboard.press("2")
    expect_level(bench, pytest.approx(without + 4, abs=0.05))
    bench.page.keyboard.press("m")
    expect_level(bench, pytest.approx(without, abs=0.1))


def test_a_reference_is_brought_heard_and_measured(bench, music_song, tmp_path):
    bench.open(music_song)
    page = bench.page
    path = write_wav(tmp_path / "Loud record.wav", tone(500, -9, 8, 44100), 44100)
    page.get_by_role("button", name="Compare …").click()
    page.get_by_role("tab", name="References").click()
    page.get_by_label("Bring a reference").set_input_files(str(path))
    table = page.get_by_role("table", name="References")
    expect(table).to_contain_text("Loud record")
    expect(table).to_contain_text("−9.")
    page.keyboard.press("Escape")
    bench.plain()
    bench.play()
    page.keyboard.press("3")
    page.wait_for_function("window.tinKettle.player.now()?.moment.meters.other_name.startsWith('reference')")
    # converted to the song's rate
    expect_tones(bench, {500: pytest.approx(-9, abs=0.1)})
    page.get_by_role("button", name="Compare …").click()
    page.get_by_role("tab", name="References").click()
    page.get_by_label("Remove Loud record").click()


def test_a_finding_leads_to_its_fix_as_a_version(bench, add_song):
    x = music(20.0) * 0.3 + 0.01
    bench.open(add_song(x, "Offset", master=[]))
    bench.surveyed()
    panel = bench.page.get_by_label("Song map")
    panel.get_by_role("tab", name=re.compile("Findings [1-9]")).click()
    row = panel.locator("[data-finding=offset]")
    expect(row).to_contain_text("DC offset")
    panel.get_by_role("button", name="Try: remove the offset").click()
    bench.page.wait_for_function("window.tinKettle.state().heard.startsWith('version')")
    assert bench.state("recipe.master.length") == 0, "the song itself stays as it is"
    bench.play()
    expect_sound(bench, lambda x: np.abs(x.mean()) < 1e-3, True)
    row.click()
    bench.page.get_by_role("dialog").get_by_role("button", name="Dismiss").click()
    expect(row).to_have_count(0)
    bench.page.get_by_role("button", name="1 dismissed").click()
    expect(row).to_have_count(1)


def test_a_blind_test_ends_in_a_sentence(bench, music_song):
    bench.open(music_song, tapped=False)
    page = bench.page
    page.get_by_role("button", name="Compare …").click()
    page.get_by_role("tab", name="Blind test").click()
    page.get_by_role("radio", name="5", exact=True).click()
    page.get_by_role("button", name="Begin").click()
    for number in range(5):
        expect(page.get_by_text(f"Round {number + 1} of 5")).to_be_visible()
        page.get_by_role("button", name="Hear X").click()
        # nothing on the bench gives away what X is
        expect(page.get_by_label("Hearing", exact=True)).to_have_text("listening to X")
        expect(page.get_by_label("Gauges")).to_have_text("Covered while the blind test goes on.")
        expect(page.get_by_label("Listening", exact=True).locator("[aria-pressed=true][title]")).to_have_count(0)
        page.get_by_role("button", name="X is Now").click()
    expect(page.get_by_label("Gauges")).to_contain_text("LUFS")
    expect(page.get_by_text(re.compile(r"\d of 5 right; guessing would do as well"))).to_have_count(2)


def test_the_map_is_zoomed_read_and_named(bench, music_song):
    bench.open(music_song, tapped=False)
    bench.surveyed()
    page = bench.page
    box = page.get_by_test_id("songmap").bounding_box()
    page.mouse.move(box["x"] + box["width"] / 2, box["y"] + 60)
    for _ in range(40):
        page.mouse.wheel(0, -300)
    start, end = bench.state("view")
    assert end - start <= 4096
    expect(page.get_by_test_id("songmap")).to_contain_text("0:10.")
    page.get_by_role("button", name="all", exact=True).click()
    assert bench.state("view") is None
    page.get_by_role("button", name="rows ▾").click()
    page.get_by_label("loudness", exact=True).check()
    page.keyboard.press("Escape")
    page.mouse.move(box["x"] + box["width"] / 2, box["y"] + box["height"] - 20 - 5)
    expect(page.get_by_test_id("songmap")).to_contain_text("LUFS")
    page.get_by_role("button", name="propose sections from the music").click()
    page.wait_for_function("window.tinKettle.state().recipe.sections.length > 0")
    page.mouse.dblclick(box["x"] + 30, box["y"] + 8)
    page.get_by_label("Name of the section").fill("Opening")
    page.keyboard.press("Enter")
    assert bench.state("recipe.sections[0].name") == "Opening"
    bench.saved()


def test_the_theme_is_kept(bench, music_song):
    bench.open(music_song, tapped=False)
    bench.page.get_by_role("button", name="Theme").click()
    bench.page.reload()
    bench.page.get_by_label("Song map").wait_for()
    assert bench.page.evaluate("document.documentElement.dataset.theme") == "dark"
    assert noise(-20, 0.1).shape == (2, 4800)


def test_levels_along_the_chain_and_loudness_to_the_ear(bench, add_song):
    chain = [
        {"id": "up", "kind": "trim", "params": {"gain_db": 6}},
        {"id": "tone", "kind": "equalizer", "params": {"bands": [{"id": "b", "hz": 3000, "gain_db": 6}]}},
    ]
    bench.open(add_song(tone(1000, -20, 12), "Ladder", master=chain), tapped=False)
    page = bench.page
    page.get_by_role("button", name="Levels", exact=True).click()
    ladder = page.get_by_label("Levels along the chain")
    expect(ladder).to_contain_text("20 s mid-song")
    rows = ladder.get_by_role("listitem")
    expect(rows).to_have_count(3)
    expect(rows.nth(0)).to_contain_text("comes in−20.0−20.0")
    expect(rows.nth(1)).to_contain_text("Trim−14.0−14.0")
    expect(rows.nth(1)).to_have_attribute("title", re.compile(r"\+6.0 LU, peak \+6.0 dB by this stage"))
    page.evaluate("window.tinKettle.act.move('up', 'gain_db', 23)")
    expect(rows.nth(1)).to_contain_text("Trim3.03.0")
    bench.surveyed()
    page.get_by_role("button", name="Compare …").click()
    page.get_by_role("tab", name="Before and after").click()
    page.get_by_label("Spectrum").get_by_text("perceived").click()
    page.get_by_role("img", name="Perceived loudness by critical band, before and after").wait_for()
    expect(page.get_by_role("dialog")).to_contain_text("perceived, at equal LUFS")
    expect(page.get_by_role("dialog")).to_contain_text("−20 dBFS at 83 dB")
