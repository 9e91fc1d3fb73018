"""Several buses: imported together, soloed for the ear alone, one ducking to another."""

import numpy as np
import pytest
from playwright.sync_api import expect

from tests.browser.sound import Below, amplitude_db, expect_tones, steady_tone
from tests.conftest import RATE_HZ, tone, write_wav

pytestmark = pytest.mark.live
SECONDS = 12


def bursts():
    """200 Hz, on for a second, off for a second."""
    x = tone(200, -6, SECONDS)
    return x * ((np.arange(x.shape[1]) // RATE_HZ) % 2 == 0)


@pytest.fixture
def buses(bench, tmp_path, tone_song):
    files = {
        "Harbour drums.wav": bursts(),
        "Harbour bass.wav": tone(1000, -20, SECONDS),
        "Harbour keys.wav": tone(3000, -30, SECONDS),
        "Harbour voices.wav": tone(5000, -30, SECONDS),
    }
    paths = [str(write_wav(tmp_path / name, x, subtype="DOUBLE")) for name, x in files.items()]
    bench.open(tapped=False)
    bench.page.get_by_label("Bring a file", exact=True).set_input_files(paths)
    expect(bench.page.get_by_label("Songs")).to_contain_text("Harbour")
    bench.tap()
    bench.plain()
    return bench


def test_the_bass_ducks_to_the_drums(buses):
    page = buses.page
    for name in ("drums", "bass", "keys", "voices", "Master"):
        expect(page.get_by_role("tab", name=name)).to_be_visible()
    page.get_by_role("tab", name="bass").click()
    page.keyboard.press("c")
    buses.saved()
    page.get_by_role("button", name="key ▾").click()
    page.get_by_role("menuitemcheckbox", name="drums").click()
    page.keyboard.press("Escape")
    for name, value in (("threshold_db", -30), ("ratio", 10), ("attack_ms", 1), ("release_ms", 20)):
        page.evaluate(f"window.tinKettle.act.move('compressor-1', '{name}', {value})")
    buses.saved()
    page.get_by_role("button", name="solo").click()
    buses.play()
    x = buses.record(24000)
    for _ in range(4):
        x = np.concatenate([x, buses.record(24000)], axis=1)
    levels = [amplitude_db(x[0, at : at + 4800], 1000) for at in range(0, x.shape[1] - 4800, 4800)]
    assert max(levels) == pytest.approx(-20, abs=0.2), "untouched while the drums are silent"
    assert min(levels) < -35, "down while they play, though they are not heard"
    assert amplitude_db(x[0], 200) < -80
    expect(page.locator("[data-stage=compressor-1]")).to_contain_text("keyed by drums")


def test_solo_and_out_are_for_the_ear_alone(buses):
    page = buses.page
    buses.play()
    expect_tones(buses, {3000: pytest.approx(-30, abs=0.1)})
    page.get_by_role("tab", name="keys").click()
    page.keyboard.press("p")
    expect_tones(buses, {3000: Below(-90), 1000: pytest.approx(-20, abs=0.1)})
    expect(page.get_by_label("Hearing", exact=True)).to_contain_text("without keys")
    page.keyboard.press("p")
    page.keyboard.press("s")
    expect_tones(buses, {3000: pytest.approx(-30, abs=0.1), 1000: Below(-90)})
    assert buses.state("recipe.buses.every((bus) => !bus.muted)"), "nothing of it is in the recipe"
    page.keyboard.press("Escape")
    expect_tones(buses, {1000: pytest.approx(-20, abs=0.1)})


def test_exaggerating_goes_back_exactly(buses):
    page = buses.page
    page.get_by_role("tab", name="bass").click()
    page.keyboard.press("c")
    buses.saved()
    before = buses.state("recipe")
    buses.play()
    page.get_by_role("button", name="solo").click()
    level = steady_tone(buses, 1000)
    page.keyboard.down("x")
    expect_tones(buses, {1000: Below(level - 3)})
    # a control that is moved meanwhile is heard exaggerated, and kept as it is
    page.evaluate("window.tinKettle.act.move('compressor-1', 'makeup_db', 3)")
    expect_tones(buses, {1000: Below(level)})
    page.evaluate("window.tinKettle.act.move('compressor-1', 'makeup_db', 0)")
    page.keyboard.up("x")
    buses.record(24000)
    expect_tones(buses, {1000: pytest.approx(level, abs=0.05)})
    assert buses.state("recipe") == before


def test_starting_points_and_matched_makeup(buses):
    page = buses.page
    page.keyboard.press("c")
    page.get_by_role("button", name="Presets ▾").click()
    page.get_by_role("menuitem", name="Drums with snap").click()
    assert buses.state("recipe.master[0].params.ratio") == 4
    buses.surveyed()
    page.get_by_role("button", name="Match loudness", exact=True).click()
    page.wait_for_function("window.tinKettle.state().recipe.master[0].params.makeup_db > 0.3")
    buses.surveyed()
    expect(page.get_by_label("Stage")).to_contain_text("dB max")
    page.get_by_role("button", name="Presets ▾").click()
    page.get_by_role("menuitem", name="Keep this setting").click()
    page.get_by_label("Name", exact=True).fill("My own")
    page.get_by_role("button", name="Keep", exact=True).click()
    page.get_by_role("button", name="Presets ▾").click()
    expect(page.get_by_role("menuitem", name="My own")).to_contain_text("4:1")


def test_the_same_work_is_kept_while_the_attack_moves(buses):
    page = buses.page
    page.keyboard.press("c")
    buses.saved()
    page.get_by_role("button", name="Hold gain reduction").click()
    before = buses.state("recipe.master[0].params.threshold_db")
    page.get_by_role("slider", name="Attack", exact=True).focus()
    for _ in range(3):
        page.keyboard.press("PageDown")
    page.wait_for_function(f"window.tinKettle.state().recipe.master[0].params.threshold_db > {before} + 0.2")


def test_buses_go_into_a_group_and_each_is_printed_alone(buses):
    page = buses.page
    page.get_by_role("tab", name="bass").click()
    page.get_by_role("button", name="More of bass").click()
    page.get_by_role("menuitem", name="Into a new group").click()
    page.get_by_role("tab", name="keys").click()
    page.get_by_role("button", name="More of keys").click()
    page.get_by_role("menuitem", name="Into Group").click()
    assert buses.state("recipe.buses.map((bus) => bus.group ? 1 : 0)") == [0, 1, 1, 0]
    page.get_by_role("tab", name="Group").click()
    page.keyboard.press("s")
    buses.play()
    expect_tones(buses, {1000: pytest.approx(-20, abs=0.1), 3000: pytest.approx(-30, abs=0.1), 5000: Below(-90)})
    buses.saved()
    page.get_by_role("button", name="Print", exact=True).click()
    page.get_by_role("button", name="Print every bus").click()
    expect(page.get_by_role("link", name="Download")).to_have_count(4)
    page.keyboard.press("Escape")
    page.get_by_role("button", name="More of Group").click()
    page.get_by_role("menuitem", name="Dissolve the group").click()
    assert buses.state("recipe.groups") == []
    buses.saved()
