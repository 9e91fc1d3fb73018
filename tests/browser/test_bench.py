"""The bench as a user has it: real clicks and keys, and the samples that come of them."""

import re

import numpy as np
import pytest
import soundfile
from playwright.sync_api import expect

from tests.browser.driving import Bench, Server
from tests.browser.sound import expect_level, steady_level
from tests.conftest import RATE_HZ, music, tone, write_wav
from tin_kettle.core.engine.measure_file import measure_file
from tin_kettle.core.engine.source import FileSource

pytestmark = pytest.mark.live
PER_FRAME = 2.0**21


def rule(bench, name):
    return bench.page.get_by_role("slider", name=name, exact=True)


def test_space_plays_the_song_sample_for_sample(bench, ramp_song):
    bench.open(ramp_song)
    bench.plain()
    bench.play()
    bench.record(12000)
    heard = bench.record(24000)[0] * PER_FRAME
    np.testing.assert_allclose(np.diff(heard), 1.0, atol=0.01)
    bench.page.keyboard.press("Space")
    bench.record(4000)
    assert np.abs(bench.record(2000)).max() == 0


def test_a_loop_has_no_seam(bench, ramp_song):
    bench.open(ramp_song)
    bench.plain()
    song_map = bench.page.get_by_test_id("songmap")
    box = song_map.bounding_box()
    y = box["y"] + 60
    bench.page.mouse.move(box["x"] + box["width"] * 0.50, y)
    bench.page.mouse.down()
    bench.page.mouse.move(box["x"] + box["width"] * 0.515, y, steps=5)
    bench.page.mouse.up()
    start, end = bench.state("loop")
    assert start == pytest.approx(RATE_HZ * 10, abs=2000)
    bench.play()
    bench.record(24000)
    heard = np.rint(bench.record(4 * (end - start))[0] * PER_FRAME)
    step = np.diff(heard)
    assert set(np.unique(step)) == {1.0, float(start - end + 1)}
    assert (heard.min(), heard.max()) == (start, end - 1)


def test_a_drag_is_heard_while_it_lasts_by_the_right_amount(bench, tone_song):
    bench.open(tone_song)
    bench.plain()
    bench.play()
    before = steady_level(bench)
    thumb = rule(bench, "Gain")
    box = thumb.bounding_box()
    track = bench.page.locator("[data-param=gain_db]").bounding_box()
    bench.page.mouse.move(box["x"] + box["width"] / 2, box["y"] + 5)
    bench.page.mouse.down()
    # 72 dB from end to end
    bench.page.mouse.move(box["x"] + box["width"] / 2 + track["width"] / 12, box["y"] + 5, steps=6)
    moved = bench.state("recipe.master[0].params.gain_db")
    assert moved == pytest.approx(6, abs=0.5)
    expect_level(bench, pytest.approx(before + moved, abs=0.01))
    bench.page.mouse.up()
    bench.saved()
    assert bench.server.ask(f"/api/songs/{tone_song}")["revision"]["recipe"]["master"][0]["params"]["gain_db"] == moved


def test_a_rule_takes_typed_values_arrows_and_a_reset(bench, tone_song):
    bench.open(tone_song, tapped=False)
    thumb = rule(bench, "Gain")
    thumb.focus()
    bench.page.keyboard.press("Enter")
    bench.page.keyboard.type("-7.5 dB")
    bench.page.keyboard.press("Enter")
    expect(thumb).to_have_attribute("aria-valuetext", "−7.5 dB")
    thumb.focus()
    for key, value in (("ArrowRight", -6.8), ("Shift+ArrowLeft", -6.9), ("Home", -36), ("End", 36), ("Backspace", 0)):
        bench.page.keyboard.press(key)
        assert bench.state("recipe.master[0].params.gain_db") == pytest.approx(value, abs=0.051), key
    bench.page.keyboard.press("Enter")
    bench.page.keyboard.type("99")
    bench.page.keyboard.press("Enter")
    typed = bench.page.get_by_label("Gain, typed")
    expect(typed).to_have_attribute("aria-invalid", "true")
    expect(typed).to_have_attribute("title", "−36.0 dB to +36.0 dB")


def test_typing_begins_on_the_rule_and_leaves_the_keys_there(bench, tone_song):
    bench.open(tone_song)
    thumb = rule(bench, "Gain")
    thumb.focus()
    for typed, taken_by, value in (("-6", "Enter", -6), ("3.5", "Tab", 3.5), (",5 dB", "Enter", 0.5)):
        bench.page.keyboard.type(typed)
        bench.page.keyboard.press(taken_by)
        assert bench.state("recipe.master[0].params.gain_db") == value, typed
        expect(thumb).to_be_focused()
    bench.page.keyboard.type("10 ms")
    bench.page.keyboard.press("Enter")
    expect(bench.page.get_by_label("Gain, typed")).to_have_attribute("aria-invalid", "true")
    bench.page.keyboard.press("Escape")
    assert bench.state("recipe.master[0].params.gain_db") == 0.5
    assert bench.state("playing") is False, "what is typed is no key of the bench"


def test_space_plays_and_enter_presses_whatever_has_the_focus(bench, tone_song):
    bench.open(tone_song)
    page = bench.page
    page.get_by_role("button", name="Trim changes nothing").click()
    page.keyboard.press("Space")
    page.wait_for_function("window.tinKettle.state().playing")
    page.get_by_role("switch", name="Trim on").focus()
    page.keyboard.press("Enter")
    assert bench.state("recipe.master[0].on") is False
    page.keyboard.press("Space")
    page.wait_for_function("!window.tinKettle.state().playing")
    assert bench.state("recipe.master[0].on") is False


def test_comparing_is_matched_and_says_by_how_much(bench, add_song):
    song = add_song(tone(1000, -20, 12), "Pair", master=[{"kind": "trim", "params": {"gain_db": 6}}])
    bench.open(song)
    bench.surveyed()
    bench.plain()
    bench.play()
    received = 20 * np.log10(0.1 / np.sqrt(2))
    bench.page.keyboard.press("1")
    expect_level(bench, pytest.approx(received, abs=0.01))
    bench.page.keyboard.press("2")
    expect_level(bench, pytest.approx(received + 6, abs=0.01))
    # nothing is boosted
    bench.page.keyboard.press("m")
    expect_level(bench, pytest.approx(received, abs=0.1))
    bench.page.keyboard.press("1")
    bench.record(24000)
    assert steady_level(bench) == pytest.approx(received, abs=0.01)
    expect(bench.page.get_by_label("Match loudness")).to_contain_text("now −6.0 dB")


def test_stages_are_added_moved_switched_removed_undone_and_kept(bench, music_song):
    bench.open(music_song, tapped=False)
    page = bench.page

    def chain():
        return page.locator("[data-stage]").evaluate_all("rows => rows.map((row) => row.dataset.stage)")

    page.get_by_text("+ Add a stage").click()
    page.get_by_label("Find a stage").fill("polarity")
    page.keyboard.press("Enter")
    expect(page.locator("[data-stage]")).to_have_count(3)
    assert chain() == ["c", "trim-1", "l"], "a new stage stands below the chosen one"
    page.keyboard.press("Alt+ArrowUp")
    assert chain() == ["trim-1", "c", "l"]
    page.keyboard.press("b")
    assert bench.state("recipe.master[0].on") is False
    bench.saved()
    page.get_by_role("switch", name="Limiter on").click()
    bench.saved()
    page.keyboard.press("Delete")
    bench.saved()
    assert chain() == ["c", "l"]
    for _ in range(5):
        page.keyboard.press("Control+z")
    expect(page.locator("[data-stage]")).to_have_count(2)
    page.wait_for_function("window.tinKettle.state().revision.undo === 'test'")
    assert bench.state("recipe.master.map((stage) => stage.on)") == [True, True]
    for _ in range(4):
        page.keyboard.press("Control+Shift+z")
    page.wait_for_function("window.tinKettle.state().recipe.master.length === 3")
    page.wait_for_function("!window.tinKettle.state().recipe.master[2].on")
    page.reload()
    page.get_by_label("Song map").wait_for()
    assert chain() == ["trim-1", "c", "l"]
    page.keyboard.press("Control+Shift+z")
    page.wait_for_function("window.tinKettle.state().recipe.master.length === 2")


def test_what_a_stage_removes_is_heard_and_escape_returns(bench, add_song):
    master = [{"id": "c", "kind": "compressor", "params": {"threshold_db": -30, "ratio": 2, "makeup_db": 4}}]
    bench.open(add_song(tone(1000, -10, 20), "Removed", master=master))
    bench.plain()
    bench.play()
    result = steady_level(bench)
    bench.page.get_by_role("radio", name="difference").click()
    # 10 dB off a tone at −13 dB RMS, then 4 dB back: what is missing is the difference of the amplitudes
    kept, static = 10 ** (result / 20), 10 ** ((-13.01 + 4) / 20)
    expect_level(bench, pytest.approx(20 * np.log10(static - kept), abs=0.05))
    bench.page.keyboard.press("Escape")
    expect_level(bench, pytest.approx(result, abs=0.02))


def test_a_file_is_brought_printed_downloaded_and_measures_as_said(bench, tone_song, tmp_path):
    bench.open(tapped=False)
    x = music(4.0)[:, : 4 * RATE_HZ] * 0.4
    path = tmp_path / "Brought along.flac"
    soundfile.write(str(path), x.T, RATE_HZ, subtype="PCM_24")
    bench.page.get_by_label("Bring a file", exact=True).set_input_files(str(path))
    expect(bench.page.get_by_label("Songs")).to_contain_text("Brought along")
    bench.page.keyboard.press("c")
    bench.saved()
    bench.page.get_by_role("button", name="Print").click()
    dialog = bench.page.get_by_role("dialog")
    dialog.get_by_role("radio", name="FLAC").click()
    dialog.get_by_role("radio", name="16 bits").click()
    # nothing rings on for long, so that no tail is the usual; half a second of it is asked for
    expect(dialog.get_by_label("Tail", exact=True).get_by_role("radio", name="none")).to_be_checked()
    dialog.get_by_role("radio", name="seconds").click()
    dialog.get_by_label("Tail in seconds").fill("0.5")
    dialog.get_by_label("Tail in seconds").press("Enter")
    dialog.get_by_role("button", name="Print", exact=True).click()
    with bench.page.expect_download() as waiting:
        dialog.get_by_role("link", name="Download").click()
    got = tmp_path / waiting.value.suggested_filename
    waiting.value.save_as(got)
    found = measure_file(FileSource(got))
    assert soundfile.info(str(got)).subtype == "PCM_16"
    assert found["duration_s"] == 4.5
    lufs = f"{found['integrated_lufs']:.1f} LUFS".replace("-", "−")
    expect(dialog.get_by_label("Prints")).to_contain_text(lufs)


@pytest.mark.parametrize(
    ("name", "content", "says"),
    [
        ("notes.txt", b"not a song", "notes.txt is not a sound file that can be read"),
        ("empty.wav", b"", "empty.wav is empty; give a WAV, FLAC, AIFF or OGG file"),
    ],
)
def test_a_wrong_file_is_refused_in_words_and_nothing_is_lost(bench, tone_song, tmp_path, name, content, says):
    bench.open(tone_song, tapped=False)
    (tmp_path / name).write_bytes(content)
    bench.page.get_by_label("Bring a file", exact=True).set_input_files(str(tmp_path / name))
    expect(bench.page.get_by_role("alert")).to_contain_text(says)
    assert bench.state("song.title") == "Tone"
    bench.page.get_by_label("Dismiss").click()
    expect(bench.page.get_by_role("alert")).to_have_count(0)


def test_a_mono_file_says_that_it_became_two_sides(bench, server, tmp_path):
    path = write_wav(tmp_path / "Mono.wav", tone(440, -12, 2)[0])
    bench.open(server.add_song(path, "Mono"), tapped=False)
    panel = bench.page.get_by_label("Song map")
    panel.get_by_role("tab", name="Source").click()
    expect(panel).to_contain_text("mono, as two equal sides")


def test_the_bench_plays_under_its_own_policy(browser, server, tone_song):
    # what looks inside the page is refused under this policy: only what is seen counts
    bench = Bench(browser, server, bypass_csp=False)
    bench.open(tapped=False)
    bench.page.keyboard.press("Space")
    expect(bench.page.get_by_label("Position", exact=True)).to_contain_text(re.compile(r"0:0[1-9]\."))
    assert bench.errors == []
    bench.close()


def test_keys_are_on_a_sheet(bench, tone_song):
    bench.open(tone_song, tapped=False)
    bench.page.keyboard.press("?")
    expect(bench.page.get_by_role("dialog", name="Shortcuts")).to_contain_text("play, pause")
    bench.page.keyboard.press("Escape")
    expect(bench.page.get_by_role("dialog")).to_have_count(0)


def test_a_killed_server_loses_nothing_and_the_sound_resumes(browser, tmp_path):
    own = Server(tmp_path / "home")
    path = write_wav(tmp_path / "Tone.wav", tone(6000, -12, 20))
    bench = Bench(browser, own)
    try:
        bench.open(own.add_song(path, "Tone"))
        bench.page.keyboard.press("f")
        bench.saved()
        bench.plain()
        bench.play()
        level = steady_level(bench)
        before = bench.page.evaluate("window.tinKettle.player.now().song")
        own.kill()
        bench.page.get_by_text("connection lost").wait_for()
        rule(bench, "High-pass frequency").focus()
        bench.page.keyboard.press("Home")
        expect(bench.page.get_by_role("alert")).to_contain_text("The server does not answer")
        own.start()
        bench.page.wait_for_function("window.tinKettle.state().connected")
        bench.saved()
        bench.page.wait_for_function(f"window.tinKettle.player.now()?.song > {before}")
        expect_level(bench, pytest.approx(level, abs=0.01))
        kept = own.ask("/api/songs/1")["revision"]["recipe"]["master"][0]["params"]
        assert kept["high_pass_hz"] == 10
    finally:
        bench.close()
        own.stop()


@pytest.mark.parametrize("size", [(1280, 800), (1024, 700)])
def test_the_heading_of_the_widest_stage_stays_beside_the_gauges(bench, music_song, size):
    bench.open(music_song, tapped=False)
    bench.page.set_viewport_size({"width": size[0], "height": size[1]})
    bench.page.locator("[data-stage=c]").click()
    bench.page.get_by_role("button", name="Record automation", exact=True).click()
    stage = bench.page.get_by_label("Stage", exact=True).bounding_box()
    written = bench.page.get_by_role("button", name=re.compile("^Record mode")).bounding_box()
    assert written["x"] + written["width"] <= stage["x"] + stage["width"]


def test_the_shortcuts_lead_to_the_glossary(bench, tone_song):
    bench.open(tone_song, tapped=False)
    bench.page.keyboard.press("?")
    sheet = bench.page.get_by_role("dialog", name="Shortcuts")
    sheet.get_by_text("Glossary").click()
    expect(sheet.get_by_text("All stages and settings of a song, as JSON.")).to_be_visible()
