"""Splits on the bench: rows on rails, stages in branches like any other, one branch heard alone; values that move."""

import numpy as np
import pytest
from playwright.sync_api import expect

from tests.browser.sound import Below, expect_sound, expect_tones, rms_db
from tests.conftest import RATE_HZ, music, tone, write_wav

pytestmark = pytest.mark.live

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


def bench_row(page, stage):
    """The button that chooses a stage in the chain."""
    return page.locator(f"[data-stage={stage}] [aria-current]")


def drag(page, source, target, lower):
    """Take a row with the mouse, and let it go over the upper or the lower part of another."""
    start, end = source.bounding_box(), target.bounding_box()
    page.mouse.move(start["x"] + 130, start["y"] + 20)
    page.mouse.down()
    page.mouse.move(start["x"] + 134, start["y"] + 30, steps=3)
    page.mouse.move(end["x"] + 130, end["y"] + end["height"] * (0.8 if lower else 0.2), steps=6)
    page.mouse.up()


def chain_of(bench):
    """The master's chain as text: ``a s(b|c)``."""
    return bench.page.evaluate(
        """() => {
          const shown = (chain) => chain.map(({ id, params }) =>
            params.branches ? `${id}(${params.branches.map((one) => shown(one.chain)).join("|")})` : id).join(" ");
          return shown(window.tinKettle.state().recipe.master);
        }"""
    )


@pytest.fixture
def parted(bench, add_song):
    samples = tone(100, -20, 20) + tone(6000, -20, 20)
    bench.open(add_song(samples, "Parted", master=[SPLIT, {"id": "l", "kind": "limiter"}]))
    bench.plain()
    return bench


def test_a_stage_in_a_branch_is_chosen_moved_and_undone_like_any_other(parted):
    page = parted.page
    chain = page.get_by_label("Chain", exact=True)
    expect(chain.get_by_label("Name of the branch Low")).to_have_value("Low")
    expect(chain.locator("[data-branch=high]")).to_contain_text("−2")
    expect(chain.locator("[data-stage=parts]")).to_contain_text("2 bands at 800 Hz")
    parted.surveyed()
    expect(page.get_by_text("High · Bus compressor").first).to_be_visible()
    bench_row(page, "t").click()
    expect(page.get_by_label("Stage").get_by_role("heading")).to_have_text("Trim")
    parted.play()
    expect_tones(parted, {100: pytest.approx(-23, abs=0.05), 6000: pytest.approx(-22, abs=0.05)})
    page.get_by_label("Stage").get_by_role("slider", name="Gain").press("ArrowUp")
    parted.saved()
    moved = parted.state("recipe.master[0].params.branches[0].chain[0].params.gain_db")
    assert moved > -3
    expect_tones(parted, {100: pytest.approx(-20 + moved, abs=0.05)})
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
    bench_row(page, "p").click()
    page.keyboard.press("Alt+ArrowDown")
    assert bench.state(inside) == [["q", True], ["p", True]]
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
    expect_tones(parted, {100: Below(-70), 6000: pytest.approx(-22, abs=0.05)})
    stage.get_by_role("button", name="Solo High").click()
    page.get_by_label("Chain", exact=True).get_by_role("button", name="Mute High").click()
    expect_tones(parted, {100: pytest.approx(-23, abs=0.05), 6000: Below(-70)})
    assert "muted" not in str(parted.state("recipe.master[0].params.branches[1].muted")).lower()
    assert parted.state("recipe.master[0].params.branches[1].muted") is False


def test_what_a_stage_in_a_branch_removes_is_heard(parted):
    page = parted.page
    bench_row(page, "t").click()
    parted.play()
    page.get_by_label("Listen to").get_by_role("radio", name="difference").click()
    # a gain of its own is not removed
    expect_tones(parted, {100: Below(-100)})
    page.get_by_role("button", name="Bypass", exact=True).click()
    expect_tones(parted, {100: pytest.approx(-20, abs=0.05)})


def test_values_that_move_are_heard_where_the_song_is(bench, add_song, server):
    song = add_song(tone(6000, -12, 12), "Moves", master=[])
    points = [{"at": 0, "value": 0.0}, {"at": 4.0, "value": -12.0}]
    stage = {"id": "t", "kind": "trim"}
    ride = {"target": "t", "param": "gain_db", "points": points}
    document = {"format": "tin-kettle-recipe", "version": 1, "master": [stage], "automation": [ride]}
    server.save(song, document)
    bench.open(song)
    bench.plain()

    def loop(*seconds):
        frames = [RATE_HZ * s for s in seconds]
        bench.page.evaluate("(loop) => window.tinKettle.player.ask({ type: 'loop', loop })", frames)

    # however long the machine takes to listen
    loop(0, 3)
    bench.play()
    expect_tones(bench, {6000: pytest.approx(-12, abs=0.05)})
    loop(6, 9)
    expect_tones(bench, {6000: pytest.approx(-24, abs=0.05)})


def test_gauges_wait_for_the_first_sound_and_a_bounce_can_be_taken_back(bench, add_song, server, tmp_path):
    song = add_song(music(10.0) * 0.5, "Bounce")
    bench.open(song)
    gauges = bench.page.get_by_label("Gauges")
    bench.page.wait_for_function("window.tinKettle.player.now() !== null")
    bench.page.wait_for_timeout(500)
    expect(gauges.get_by_text("true peak max").locator("xpath=following-sibling::dd")).to_have_text("—")
    again = write_wav(tmp_path / "again.wav", 0.25 * music(10.0), subtype="DOUBLE")
    source = server.ask("/api/sources?name=again.wav", again.read_bytes())
    server.ask(f"/api/songs/{song}/buses/mix/source", {"sha256": source["sha256"]}, "PUT")
    bench.page.reload()
    bench.page.wait_for_function("window.tinKettle !== undefined")
    bench.tap()
    bench.page.wait_for_function("window.tinKettle.state().connected")
    bench.plain()
    bench.play()
    bench.record(16000)
    quiet = rms_db(bench.record(96000))
    bench.page.keyboard.press("Control+z")
    bench.page.wait_for_function("window.tinKettle.state().revision.redo?.startsWith('New bounce')")
    bench.tap()
    bench.page.wait_for_function("window.tinKettle.state().connected")
    bench.plain()
    bench.play()
    expect_sound(bench, rms_db, pytest.approx(quiet + 6, abs=2), frames=96000)


def test_parallel_branches_are_set_up_by_hand_nested_moved_heard_undone_and_kept(bench, add_song):
    samples = tone(100, -20, 20) + tone(6000, -20, 20)
    bench.open(add_song(samples, "Handmade", master=[{"id": "t", "kind": "trim"}, {"id": "l", "kind": "limiter"}]))
    bench.plain()
    page = bench.page
    # found by what it is for, below the chosen stage
    bench_row(page, "t").click()
    page.keyboard.press("a")
    page.get_by_label("Find a stage").fill("parallel")
    page.keyboard.press("Enter")
    assert chain_of(bench) == "t split-1(|) l"
    stage = page.get_by_label("Stage")
    stage.get_by_role("radio", name="copies").click()
    page.get_by_role("button", name="+ branch").first.click()
    assert chain_of(bench) == "t split-1(||) l"
    # into the middle copy by mouse, and out below the split by keys
    drag(page, bench_row(page, "t"), page.locator("[data-branch]").nth(1), lower=True)
    assert chain_of(bench) == "split-1(|t|) l"
    page.keyboard.press("Alt+ArrowDown")
    assert chain_of(bench) == "split-1(||t) l"
    page.keyboard.press("Alt+ArrowDown")
    assert chain_of(bench) == "split-1(||) t l"
    page.keyboard.press("Alt+ArrowUp")
    # a split inside, wrapped around the stage: nothing is heard otherwise
    page.locator("[data-stage=t]").hover()
    page.get_by_role("button", name="More of Trim").click()
    page.get_by_role("menuitem", name="Wrap in a split by").press("ArrowRight")
    page.get_by_role("menuitem", name="copies").press("Enter")
    assert chain_of(bench) == "split-1(||split-2(t|)) l"
    expect(page.get_by_role("menu")).to_have_count(0)
    bench.play()
    # three copies
    expect_tones(bench, {100: pytest.approx(-20 + 20 * np.log10(3), abs=0.05)})
    # one branch louder, one left out of the print
    bench_row(page, "split-1").click()
    level = page.get_by_label("Branch Copy 1").get_by_role("slider", name="Level")
    level.focus()
    page.keyboard.type("6")
    page.keyboard.press("Enter")
    page.locator("[data-branch]").nth(1).hover()
    page.get_by_role("button", name="More of the branch Copy 2").click()
    page.get_by_role("menuitem", name="Mute in the print").click()
    wanted = 20 * np.log10(10 ** (6 / 20) + 1) - 20
    expect_tones(bench, {100: pytest.approx(wanted, abs=0.05)})
    page.keyboard.press("Control+z")
    expect_tones(bench, {100: pytest.approx(20 * np.log10(10 ** (6 / 20) + 2) - 20, abs=0.05)})
    bench.saved()
    page.reload()
    page.locator("[data-stage=split-2]").wait_for()
    assert chain_of(bench) == "split-1(||split-2(t|)) l"
    # dissolved into the chain, from the inside
    for split, left in (("split-2", "split-1(||t) l"), ("split-1", "t l")):
        page.locator(f"[data-stage={split}]").hover()
        page.locator(f"[data-stage={split}]").get_by_role("button", name="More of Split").click()
        page.get_by_role("menuitem", name="Dissolve").click()
        assert chain_of(bench) == left


def test_a_crossover_is_dragged_on_the_spectrum_and_moved_by_keys(parted):
    page = parted.page
    bench_row(page, "parts").click()
    parted.play()
    expect_tones(parted, {6000: pytest.approx(-22, abs=0.05)})
    handle = page.get_by_role("slider", name="Crossover 1")
    box = handle.bounding_box()
    page.mouse.move(box["x"] + 6, box["y"] + 40)
    page.mouse.down()
    page.mouse.move(box["x"] + 900, box["y"] + 40, steps=8)
    page.mouse.up()
    corner = "recipe.master[0].params.crossovers_hz[0]"
    assert parted.state(corner) == 20000
    # all of it is the low branch's now
    expect_tones(parted, {6000: pytest.approx(-23, abs=0.2)})
    handle.press("ArrowLeft")
    assert parted.state(corner) == pytest.approx(20000 / 2 ** (1 / 12), rel=0.01)
    parted.saved()
    page.keyboard.press("Control+z")
    page.keyboard.press("Control+z")
    page.wait_for_function(f"window.tinKettle.state().{corner} === 800")
    expect(handle).to_have_attribute("aria-valuetext", "800 Hz")
    # what comes in, and what each branch gives, is measured
    page.wait_for_function("Object.keys(window.tinKettle.player.now().moment.meters.inside).length === 3")


def test_stages_are_copied_to_another_song_and_moved_between_buses(bench, add_song):
    here = add_song(tone(440, -20, 4), "Here", master=[SPLIT, {"id": "u", "kind": "trim", "params": {"gain_db": -9}}])
    there = add_song(tone(440, -20, 4), "There", master=[{"id": "t", "kind": "trim"}])
    bench.open(here, tapped=False)
    page = bench.page
    bench_row(page, "parts").click()
    page.keyboard.press("Shift+ArrowDown")
    page.keyboard.press("Control+c")
    page.get_by_label("Songs").click()
    page.get_by_role("menuitem", name="There").click()
    page.wait_for_function(f"window.tinKettle.state().song.id === {there}")
    bench_row(page, "t").click()
    page.keyboard.press("Control+v")
    assert chain_of(bench) == "t split-1(trim-1|compressor-1) trim-2"
    assert bench.state("recipe.master[2].params.gain_db") == -9
    bench.saved()
    # the two that were pasted are chosen: to the bus, and back by keys
    page.keyboard.press("Alt+Shift+ArrowLeft")
    assert chain_of(bench) == "t"
    assert bench.state("recipe.buses[0].chain.length") == 2
    page.keyboard.press("Alt+Shift+ArrowRight")
    page.keyboard.press("Control+d")
    page.keyboard.press("Delete")
    assert chain_of(bench) == "t split-1(trim-1|compressor-1) trim-2"
    bench.saved()
    assert not bench.errors


def test_a_ridden_stage_goes_with_its_ride(bench, add_song, server):
    song = add_song(tone(440, -20, 4), "Gone", master=[])
    ride = {"target": "t", "param": "gain_db", "points": [{"at": 0, "value": 0.0}, {"at": 2.0, "value": -12.0}]}
    master = [{"id": "t", "kind": "trim"}, {"id": "u", "kind": "trim"}]
    server.save(song, {"format": "tin-kettle-recipe", "version": 1, "master": master, "automation": [ride]})
    bench.open(song, tapped=False)
    bench_row(bench.page, "t").click()
    bench.page.keyboard.press("Delete")
    bench.saved()
    assert [bench.state("problem"), bench.state("recipe.automation.length")] == [None, 0]
    bench.page.keyboard.press("Control+z")
    bench.page.wait_for_function("window.tinKettle.state().recipe.automation.length === 1")


def test_the_song_as_a_whole_stands_where_no_stage_is_chosen(parted):
    page = parted.page
    page.keyboard.press("v")
    song = page.get_by_label("Song", exact=True)
    expect(song.get_by_role("heading")).to_have_text("Parted")
    parted.surveyed()
    expect(song.get_by_label("Figures of the song")).to_contain_text("LUFS")
    song.get_by_role("button", name="Sweep").click()
    song.get_by_role("slider", name="Frequency that is looked at").press("ArrowRight")
    listening = parted.state("listening")
    assert listening["range"] == "band"
    assert listening["low_hz"] < 1000 * 2 ** (1 / 12) < listening["high_hz"]
    # the narrow band goes with the search
    bench_row(page, "t").click()
    page.wait_for_function("window.tinKettle.state().listening.range === 'all'")
