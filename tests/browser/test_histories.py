"""Chains that songs begin with, and everything that was done to a song: heard, gone back to, kept."""

import json

import numpy as np
import pytest
from playwright.sync_api import expect

from tests.browser.sound import expect_level
from tests.browser.test_splits import bench_row, chain_of
from tests.conftest import tone

pytestmark = pytest.mark.live


def moved(bench, gain_db):
    bench.page.evaluate(f"window.tinKettle.act.move('t', 'gain_db', {gain_db})")
    bench.page.wait_for_timeout(400)
    bench.saved()


def test_any_edit_is_heard_at_equal_loudness_gone_back_to_and_kept(bench, add_song):
    bench.open(add_song(tone(1000, -20, 30), "Past", master=[{"id": "t", "kind": "trim"}]))
    bench.plain()
    page = bench.page
    for gain_db in (-3, -9):
        moved(bench, gain_db)
    bench.play()
    expect_level(bench, pytest.approx(-32, abs=0.1))
    page.get_by_role("button", name="History").click()
    edits = page.get_by_label("Edits")
    expect(edits.locator("li > button")).to_have_count(4)
    edits.locator("li > button").nth(1).click()
    expect_level(bench, pytest.approx(-26, abs=0.1))
    expect(page.get_by_role("status", name="Hearing")).to_contain_text("an earlier state")
    page.evaluate("window.tinKettle.act.setMatched(true)")
    # as loud as now, once enough was heard for an estimate
    expect_level(bench, pytest.approx(-32, abs=0.2))
    page.evaluate("window.tinKettle.act.setMatched(false)")
    edits.get_by_role("button", name="keep", exact=True).and_(page.locator(":visible")).click()
    expect(edits.locator("li").nth(2)).to_contain_text("gain_db")
    expect(page.get_by_label("Compare", exact=True)).to_contain_text("gain_db")
    edits.get_by_role("button", name="go back to it").and_(page.locator(":visible")).click()
    page.wait_for_function("window.tinKettle.state().recipe.master[0].params.gain_db === -3")
    expect_level(bench, pytest.approx(-26, abs=0.1))
    expect(edits.locator("li > button").first).to_contain_text("Back to:")
    page.get_by_role("button", name="Undo").click()
    page.wait_for_function("window.tinKettle.state().recipe.master[0].params.gain_db === -9")
    # across a restart of the page
    page.reload()
    page.get_by_role("button", name="History").click()
    expect(edits.locator("li > button")).to_have_count(5)
    assert not bench.errors


def test_a_song_begins_with_the_usual_order_and_chains_are_kept_and_shared(bench, add_song, tmp_path):
    song = add_song(tone(1000, -20, 4), "Begin", master=[])
    bench.open(song, tapped=False)
    page = bench.page
    page.get_by_label("Begin with").get_by_role("button", name="The usual order").click()
    assert chain_of(bench) == "filter-1 equalizer-1 compressor-1 limiter-1"
    bench_row(page, "compressor-1").click()
    page.keyboard.press("Delete")
    page.get_by_role("button", name="Chains …").click()
    page.get_by_label("Name of the chain").fill("Folk songs")
    page.get_by_role("button", name="Keep this chain").click()
    expect(page.get_by_label("Kept chains")).to_contain_text("Folk songs")
    with page.expect_download() as download:
        page.get_by_role("button", name="Save as a file").click()
    saved = json.loads(download.value.path().read_text())
    assert [stage["kind"] for stage in saved["master"]] == ["filter", "equalizer", "limiter"]
    assert download.value.suggested_filename == "Begin.kettle.json"
    # a file of somebody else's
    saved["master"] = saved["master"][:1]
    other = tmp_path / "theirs.kettle.json"
    other.write_text(json.dumps(saved))
    page.get_by_label("A recipe file").set_input_files(other)
    page.wait_for_function("window.tinKettle.state().recipe.master.length === 1")
    page.get_by_role("button", name="Chains …").click()
    broken = tmp_path / "broken.json"
    broken.write_text("no")
    page.get_by_label("A recipe file").set_input_files(broken)
    expect(page.get_by_role("alert")).to_contain_text("broken.json is no recipe file")
    page.get_by_label("Kept chains").get_by_role("listitem").filter(has_text="Folk songs").get_by_text("Load").click()
    page.wait_for_function("window.tinKettle.state().recipe.master.length === 3")
    bench.saved()
    page.get_by_role("button", name="Chains …").click()
    page.get_by_label("Delete Folk songs").click()
    expect(page.get_by_label("Kept chains")).not_to_contain_text("Folk songs")


def test_links_lead_back_to_the_song_and_its_place(bench, add_song, server):
    first = add_song(tone(440, -20, 8), "First", master=[{"id": "a", "kind": "trim"}, {"id": "b", "kind": "limiter"}])
    second = add_song(tone(440, -20, 8), "Second", master=[{"id": "t", "kind": "trim"}])
    bench.open(first, tapped=False)
    page = bench.page
    assert page.url.endswith(f"/songs/{first}")
    bench_row(page, "b").click()
    page.evaluate("window.tinKettle.act.setLoop([48000, 96000])")
    page.wait_for_timeout(800)
    page.get_by_label("Songs").click()
    page.get_by_role("menuitem", name="Second").click()
    page.wait_for_function(f"window.tinKettle.state().song.id === {second}")
    assert page.url.endswith(f"/songs/{second}")
    page.go_back()
    page.wait_for_function(f"window.tinKettle.state().song.id === {first}")
    page.goto(f"{server.url}/songs/{first}")
    page.wait_for_function(f"window.tinKettle?.state().song?.id === {first}")
    assert (bench.state("selected"), bench.state("loop")) == ("b", [48000, 96000])


def test_an_edit_on_the_way_to_another_song_is_kept(bench, add_song, server):
    first = add_song(tone(440, -20, 4), "Leaving", master=[{"id": "t", "kind": "trim"}])
    second = add_song(tone(440, -20, 4), "Arriving", master=[{"id": "t", "kind": "trim"}])
    bench.open(first, tapped=False)
    page = bench.page
    page.evaluate("window.tinKettle.act.move('t', 'gain_db', -7)")
    page.get_by_label("Songs").click()
    page.get_by_role("menuitem", name="Arriving").click()
    page.wait_for_function(f"window.tinKettle.state().song.id === {second}")
    kept = server.ask(f"/api/songs/{first}")["revision"]["recipe"]["master"][0]["params"]["gain_db"]
    assert kept == -7
    assert np.isclose(bench.state("recipe.master[0].params.gain_db"), 0)
