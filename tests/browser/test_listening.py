"""Ways of listening and comparing: proved on the samples that leave the player."""

import re

import numpy as np
import pytest
from playwright.sync_api import expect

from tests.conftest import RATE_HZ, music, noise, tone, write_wav

pytestmark = pytest.mark.browser


def stereo_tones():
    """800 Hz in the mid, 2 kHz in the side, 50 Hz in the mid."""
    mid = tone(800, -20, 20)[0] + tone(50, -20, 20)[0]
    side = tone(2000, -26, 20)[0]
    return np.stack([mid + side, mid - side])


def amplitude_db(x, hz):
    """Level of a tone in one row of what was heard."""
    t = np.arange(x.size) / RATE_HZ
    window = np.hanning(x.size)
    return 20 * np.log10(2 * np.abs(np.sum(x * window * np.exp(-2j * np.pi * hz * t))) / window.sum() + 1e-10)


def heard(bench):
    bench.record(24000)
    return bench.record(24000)


@pytest.fixture
def playing(bench, add_song):
    bench.open(add_song(stereo_tones(), "Parts"))
    bench.plain()
    bench.play()
    return bench


def test_folds_let_through_what_they_say(playing):
    x = heard(playing)
    assert amplitude_db(x[0], 800) == pytest.approx(-20, abs=0.1)
    assert amplitude_db(x[0], 2000) == pytest.approx(-26, abs=0.1)
    playing.page.keyboard.press("o")
    x = heard(playing)
    np.testing.assert_array_equal(x[0], x[1])
    assert amplitude_db(x[0], 800) == pytest.approx(-20, abs=0.1)
    assert amplitude_db(x[0], 2000) < -90
    playing.page.keyboard.press("i")
    x = heard(playing)
    assert amplitude_db(x[0], 2000) == pytest.approx(-26, abs=0.1)
    assert amplitude_db(x[0], 800) < -90
    expect(playing.page.get_by_label("Hearing", exact=True)).to_contain_text("the side only")
    playing.page.get_by_label("Fold").click()
    playing.page.get_by_role("option", name=re.compile("^one speaker")).click()
    x = heard(playing)
    assert np.abs(x[1]).max() == 0
    playing.page.keyboard.press("Escape")
    x = heard(playing)
    assert amplitude_db(x[1], 2000) == pytest.approx(-26, abs=0.1)
    expect(playing.page.get_by_label("Hearing", exact=True)).to_have_text("hearing the song as it is now")


def test_only_the_lows_and_another_place(playing):
    playing.page.keyboard.press("w")
    x = heard(playing)
    assert amplitude_db(x[0], 50) == pytest.approx(-20, abs=0.1)
    assert amplitude_db(x[0], 800) < -90
    playing.page.keyboard.press("w")
    playing.page.get_by_label("Place").click()
    playing.page.get_by_role("option", name=re.compile("^Phone")).click()
    x = heard(playing)
    assert amplitude_db(x[0], 50) < -70
    assert amplitude_db(x[0], 2000) < -80, "one speaker: what is only wide is gone"
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
    now = bench.level_db()
    page.keyboard.press("3")
    expect(page.get_by_label("Match loudness")).to_contain_text("version a −6.0 dB", timeout=30000)
    expect(page.get_by_label("Match loudness")).to_contain_text("level matched")
    assert bench.level_db() == pytest.approx(now, abs=0.1)
    page.keyboard.press("m")
    assert bench.level_db() == pytest.approx(now + 6, abs=0.1)
    page.get_by_role("button", name="Compare …").click()
    page.get_by_role("button", name="What differs").click()
    expect(page.get_by_role("table")).to_contain_text("Gain")
    page.get_by_role("button", name="Restore").click()
    assert bench.state("recipe.master[0].params.gain_db") == 0
    bench.saved()


def test_without_a_stage_is_matched_too(bench, add_song):
    master = [{"id": "t", "kind": "trim", "params": {"gain_db": 4}}]
    bench.open(add_song(tone(1000, -20, 30), "Without", master=master))
    bench.surveyed()
    bench.plain()
    bench.play()
    now = bench.level_db()
    bench.page.get_by_role("button", name="without it").click()
    assert bench.level_db() == pytest.approx(now - 4, abs=0.05)
    bench.page.keyboard.press("m")
    expect(bench.page.get_by_label("Match loudness")).to_contain_text("now −4.0 dB", timeout=30000)
    bench.page.keyboard.press("2")
    assert bench.level_db() == pytest.approx(now - 4, abs=0.1)


def test_a_reference_is_brought_heard_and_measured(bench, music_song, tmp_path):
    bench.open(music_song)
    page = bench.page
    path = write_wav(tmp_path / "Loud record.wav", tone(500, -9, 8, 44100), 44100)
    page.get_by_role("button", name="Compare …").click()
    page.get_by_role("tab", name="References").click()
    page.get_by_label("Bring a reference").set_input_files(str(path))
    table = page.get_by_role("table", name="References")
    expect(table).to_contain_text("Loud record", timeout=30000)
    expect(table).to_contain_text("−9.", timeout=60000)
    page.keyboard.press("Escape")
    bench.plain()
    bench.play()
    page.keyboard.press("3")
    page.wait_for_function("window.tinKettle.player.now()?.moment.meters.other_name.startsWith('reference')")
    x = heard(bench)
    assert amplitude_db(x[0], 500) == pytest.approx(-9, abs=0.1), "converted to the song's rate"
    page.get_by_role("button", name="Compare …").click()
    page.get_by_role("tab", name="References").click()
    page.get_by_label("Remove Loud record").click()


def test_a_finding_leads_to_its_fix_as_a_version(bench, add_song):
    x = music(20.0) * 0.3 + 0.01
    bench.open(add_song(x, "Offset", master=[]))
    bench.surveyed()
    row = bench.page.locator("[data-finding=offset]")
    expect(row).to_contain_text("constant offset")
    row.click()
    bench.page.get_by_role("button", name="Try: remove the offset").click()
    bench.page.wait_for_function("window.tinKettle.state().heard.startsWith('version')")
    assert bench.state("recipe.master.length") == 0, "the song itself stays as it is"
    bench.play()
    assert np.abs(heard(bench).mean()) < 1e-3
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
        page.get_by_role("button", name="X is Now").click()
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
    page.mouse.move(box["x"] + box["width"] / 2, box["y"] + 118 + 2 * 14 + 5)
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
