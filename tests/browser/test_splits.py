"""Splits on the bench: rows on rails, stages in branches like any other, one branch heard alone; values that move."""

import numpy as np
import pytest
from playwright.sync_api import expect

from tests.browser.test_listening import amplitude_db, heard
from tests.conftest import music, tone, write_wav

pytestmark = pytest.mark.browser

SPLIT = {
    "id": "parts",
    "kind": "split",
    "params": {
        "by": "bands",
        "crossovers_hz": [800],
        "branches": [
            {"id": "low", "name": "Low", "chain": [{"id": "t", "kind": "trim", "params": {"gain_db": -3}}]},
            {"id": "high", "name": "High", "gain_db": -2, "chain": [{"id": "c", "kind": "compressor"}]},
        ],
    },
}


@pytest.fixture
def parted(bench, add_song):
    samples = tone(100, -20, 20) + tone(6000, -20, 20)
    bench.open(add_song(samples, "Parted", master=[SPLIT, {"id": "l", "kind": "limiter"}]))
    bench.plain()
    return bench


def test_a_stage_in_a_branch_is_chosen_moved_and_undone_like_any_other(parted):
    page = parted.page
    chain = page.get_by_label("Chain", exact=True)
    expect(chain.locator("[data-branch=low]")).to_contain_text("Low")
    expect(chain.locator("[data-branch=high]")).to_contain_text("−2")
    expect(chain.locator("[data-stage=parts]")).to_contain_text("2 bands at 800 Hz")
    parted.surveyed()
    expect(page.get_by_text("High · Bus compressor").first).to_be_visible()
    chain.locator("[data-stage=t]").get_by_role("button", name="Trim").click()
    expect(page.get_by_label("Stage").get_by_role("heading")).to_have_text("Trim")
    parted.play()
    x = heard(parted)
    assert amplitude_db(x[0], 100) == pytest.approx(-23, abs=0.05)
    assert amplitude_db(x[0], 6000) == pytest.approx(-22, abs=0.05)
    page.get_by_label("Stage").get_by_role("slider", name="Gain").press("ArrowUp")
    parted.saved()
    moved = parted.state("recipe.master[0].params.branches[0].chain[0].params.gain_db")
    assert moved > -3
    assert amplitude_db(heard(parted)[0], 100) == pytest.approx(-20 + moved, abs=0.05)
    page.keyboard.press("Control+z")
    page.wait_for_function(
        "window.tinKettle.state().recipe.master[0].params.branches[0].chain[0].params.gain_db === -3"
    )
    page.reload()
    expect(chain.locator("[data-stage=t]")).to_contain_text("−3 dB")


def test_the_keys_work_on_a_stage_in_a_branch(bench, add_song):
    two = {"id": "low", "chain": [{"id": "p", "kind": "trim"}, {"id": "q", "kind": "filter"}]}
    parts = {"id": "parts", "kind": "split", "params": {"branches": [two, {"id": "high"}]}}
    bench.open(add_song(tone(440, -20, 5), "Keys", master=[parts]))
    page = bench.page
    inside = "recipe.master[0].params.branches[0].chain.map((stage) => [stage.id, stage.on])"
    page.locator("[data-stage=p]").get_by_role("button", name="Trim").click()
    page.keyboard.press("Alt+ArrowDown")
    assert bench.state(inside) == [["q", True], ["p", True]]
    page.keyboard.press("Alt+ArrowDown")
    page.keyboard.press("b")
    assert bench.state(inside) == [["q", True], ["p", False]]
    page.keyboard.press("Delete")
    bench.saved()
    assert bench.state(inside) == [["q", True]]
    assert bench.state("selected") == "q"
    for _ in range(3):
        page.keyboard.press("Control+z")
    page.wait_for_function(f'JSON.stringify(window.tinKettle.state().{inside}) === \'[["p",true],["q",true]]\'')


def test_one_branch_is_heard_alone_and_left_out_for_the_ear(parted):
    page = parted.page
    page.get_by_label("Chain", exact=True).locator("[data-stage=parts]").get_by_text("2 bands at").click()
    stage = page.get_by_label("Stage")
    expect(stage).to_contain_text("1 stage")
    parted.play()
    stage.get_by_role("button", name="Solo High").click()
    x = heard(parted)
    assert amplitude_db(x[0], 100) < -70
    assert amplitude_db(x[0], 6000) == pytest.approx(-22, abs=0.05)
    stage.get_by_role("button", name="Solo High").click()
    page.get_by_label("Chain", exact=True).get_by_role("button", name="Mute High").click()
    x = heard(parted)
    assert amplitude_db(x[0], 100) == pytest.approx(-23, abs=0.05)
    assert amplitude_db(x[0], 6000) < -70
    assert "muted" not in str(parted.state("recipe.master[0].params.branches[1].muted")).lower()
    assert parted.state("recipe.master[0].params.branches[1].muted") is False


def test_what_a_stage_in_a_branch_removes_is_heard(parted):
    page = parted.page
    page.get_by_label("Chain", exact=True).locator("[data-stage=t]").get_by_role("button", name="Trim").click()
    parted.play()
    page.get_by_label("Hear").get_by_role("radio", name="what it removes").click()
    assert amplitude_db(heard(parted)[0], 100) < -100, "a gain of its own is not removed"
    page.get_by_role("button", name="without it").click()
    assert amplitude_db(heard(parted)[0], 100) == pytest.approx(-20, abs=0.05)


def test_values_that_move_are_heard_where_the_song_is(bench, add_song, server):
    song = add_song(tone(6000, -12, 12), "Moves", master=[])
    points = [{"at": 0, "value": 0.0}, {"at": 4.0, "value": -12.0}]
    stage = {"id": "t", "kind": "trim"}
    ride = {"target": "t", "param": "gain_db", "points": points}
    document = {"format": "tin-kettle-recipe", "version": 1, "master": [stage], "automation": [ride]}
    server.save(song, document)
    bench.open(song)
    bench.plain()
    bench.play()
    assert amplitude_db(heard(bench)[0], 6000) == pytest.approx(-12, abs=0.05)
    bench.page.evaluate("window.tinKettle.player.ask({ type: 'seek', song: 6 * 48000 })")
    assert amplitude_db(heard(bench)[0], 6000) == pytest.approx(-24, abs=0.05)


def test_gauges_wait_for_the_first_sound_and_a_bounce_can_be_taken_back(bench, add_song, server, tmp_path):
    song = add_song(music(10.0) * 0.5, "Bounce")
    bench.open(song)
    gauges = bench.page.get_by_label("Gauges")
    bench.page.wait_for_function("window.tinKettle.player.now() !== null")
    bench.page.wait_for_timeout(500)
    expect(gauges.get_by_text("true peak so far").locator("xpath=following-sibling::dd")).to_have_text("—")
    again = write_wav(tmp_path / "again.wav", 0.25 * music(10.0), subtype="DOUBLE")
    source = server.ask("/api/sources?name=again.wav", again.read_bytes())
    server.ask(f"/api/songs/{song}/buses/mix/source", {"sha256": source["sha256"]}, "PUT")
    bench.page.reload()
    bench.page.wait_for_function("window.tinKettle !== undefined")
    bench.tap()
    bench.page.wait_for_function("window.tinKettle.state().connected")
    bench.plain()
    bench.play()
    quiet = np.sqrt(np.mean(heard(bench) ** 2))
    bench.page.keyboard.press("Control+z")
    bench.page.wait_for_function("window.tinKettle.state().revision.redo?.startsWith('New bounce')")
    bench.tap()
    bench.page.wait_for_function("window.tinKettle.state().connected")
    bench.plain()
    bench.play()
    loud = np.sqrt(np.mean(heard(bench) ** 2))
    assert loud / quiet == pytest.approx(2.0, rel=0.3)
