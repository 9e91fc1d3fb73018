"""Values that move with the music, by hand: recorded where they were heard, played back there, set by section."""

import re

import numpy as np
import pytest

from tests.browser.sound import Below, expect_tones
from tests.browser.test_splits import bench_row
from tests.conftest import RATE_HZ, recipe_of, tone
from tin_kettle.core.recipe.reading import dump_recipe

pytestmark = pytest.mark.live
SECTIONS = [
    {"id": "v", "name": "Verse", "start_s": 0.0, "end_s": 5.0},
    {"id": "c", "name": "Chorus", "start_s": 5.0, "end_s": 10.0},
    {"id": "w", "name": "Verse 2", "start_s": 10.0, "end_s": 20.0},
]
SCALE = 2.0**21


def rule(page, name):
    return page.get_by_label("Stage").get_by_role("slider", name=name)


def jump_s(samples, gain):
    """Where in the song a ramp, frame / 2^21, goes over to another level: the middle of the way, in seconds.

    The samples themselves say where they are, by their slope and their level, whatever gaps there are between.
    """
    frames = samples[0].astype(np.float64) * SCALE
    steps = np.diff(frames)

    def steady(slope):
        near = np.abs(steps - slope) < 0.05 * slope
        return np.convolve(near, np.ones(100), "valid") == 100

    begun = int(np.argmax(steady(1.0)))
    after = begun + int(np.argmax(steady(gain)[begun:]))
    assert after > begun, "the level never changed"
    before = np.flatnonzero(steady(1.0)[:after])[-1] + 100
    return (frames[before] + frames[after] / gain) / 2 / RATE_HZ


def without_gap(bench, measure):
    """What is measured while the sound had no gap: a loaded machine has to be asked again."""
    for _ in range(6):
        before = bench.state("underruns")
        try:
            found = measure()
        except AssertionError:
            # what is cut by a gap may say nothing at all
            if bench.state("underruns") == before:
                raise
            continue
        if bench.state("underruns") == before:
            break
    return found


def test_a_move_is_played_back_where_it_was_heard(bench, ramp_song, server):
    server.save(ramp_song, dump_recipe(recipe_of({"id": "t", "kind": "trim"})))
    bench.open(ramp_song)
    bench.plain()
    page = bench.page
    bench_row(page, "t").click()
    page.keyboard.press("t")
    quieter = 10 ** (-12 / 20)

    def take():
        if bench.state("recipe.automation.length"):
            bench.saved()
            page.keyboard.press("Control+z")
            page.wait_for_function("window.tinKettle.state().recipe.automation.length === 0")
        bench.play()
        page.evaluate(
            """async () => {
              window.tapped = [];
              while (window.tapped.length < 20) await new Promise((next) => setTimeout(next, 10));
            }"""
        )
        rule(page, "Gain").focus()
        page.keyboard.type("-12")
        page.keyboard.press("Enter")
        # the ramp rises a quarter as steeply
        page.wait_for_function(
            "() => { const { left: x } = window.tapped.at(-1); const step = ((x.at(-1) - x.at(-128)) / 127) * 2 ** 21;"
            " return step > 0.2 && step < 0.3; }"
        )
        page.wait_for_timeout(200)
        page.keyboard.press("Space")
        page.wait_for_function("window.tinKettle.state().recipe.automation.length === 1")
        rows = page.evaluate("window.tapped.map(({ left }) => Array.from(left))")
        return jump_s(np.concatenate(rows)[None], quieter)

    for _ in range(5):
        heard_s = without_gap(bench, take)
        (ride,) = bench.state("recipe.automation")
        (written,) = [point for point in ride["points"] if point["value"] == -12]
        # of blocks that come late one after the other the old sound is heard between: that is no one moment
        if abs(written["at"] + 0.005 - heard_s) <= 0.005:
            break
    assert (ride["target"], ride["param"]) == ("t", "gain_db")
    assert written["at"] == pytest.approx(heard_s - 0.005, abs=0.005), "a jump travels for 10 ms"
    page.keyboard.press("t")
    around = [round((heard_s + away_s) * RATE_HZ) for away_s in (-0.5, 0.5)]
    page.evaluate(f"window.tinKettle.act.setLoop({around})")
    bench.play()
    played_s = without_gap(bench, lambda: jump_s(bench.record(2 * RATE_HZ), quieter))
    assert played_s == pytest.approx(heard_s, abs=0.005)
    bench.saved()
    page.keyboard.press("Space")
    page.keyboard.press("Control+z")
    page.wait_for_function("window.tinKettle.state().recipe.automation.length === 0")


def test_a_filter_swept_by_hand_sweeps_again(bench, add_song):
    low_pass = {"kind": "filter", "params": {"low_pass_on": True, "low_pass_hz": 20000, "low_pass_slope": 24}}
    bench.open(add_song(tone(4000, -12, 30), "Sweep", master=[low_pass]))
    bench.plain()
    page = bench.page
    bench_row(page, "s0").click()
    page.keyboard.press("t")
    bench.play()
    box = rule(page, "Low-pass frequency").bounding_box()
    x, y = box["x"] + box["width"] / 2, box["y"] + 4
    page.mouse.move(x, y)
    page.wait_for_function("window.tinKettle.player.now().song > 60000")
    page.mouse.down()
    begun = page.evaluate("window.tinKettle.player.now().song")
    for step in range(1, 31):
        page.mouse.move(x - 5 * step, y)
        page.wait_for_timeout(30)
    page.mouse.up()
    # what is swept is heard at once
    expect_tones(bench, {4000: Below(-30)})
    ended = page.evaluate("window.tinKettle.player.now().song")
    page.wait_for_timeout(900)
    page.keyboard.press("Space")
    page.wait_for_function("window.tinKettle.state().recipe.automation.length === 1")
    page.keyboard.press("t")
    corner = bench.state("recipe.master[0].params.low_pass_hz")

    def expect_around(song, level):
        page.evaluate(f"window.tinKettle.act.setLoop([{round(song)}, {round(song) + 14400}])")
        expect_tones(bench, {4000: level})

    bench.play()
    expect_around(begun - 24000, pytest.approx(-12, abs=1))
    expect_around(ended + 2400, Below(-30))
    page.keyboard.press("Space")
    # a hand on what is ridden is asked what it means
    rule(page, "Low-pass frequency").press("ArrowRight")
    page.get_by_role("button", name="Overwrite").click()
    page.wait_for_function("window.tinKettle.state().recipe.automation.length === 0")
    assert bench.state("recipe.master[0].params.low_pass_hz") != corner


def test_a_value_is_set_by_section_with_keys_alone(bench, add_song, server):
    song = add_song(tone(440, -12, 20), "Sections")
    server.save(song, dump_recipe(recipe_of({"id": "t", "kind": "trim"}, sections=SECTIONS)))
    bench.open(song, tapped=False)
    page = bench.page
    bench_row(page, "t").click()
    rule(page, "Gain").focus()
    page.keyboard.press("g")
    table = page.get_by_role("region", name="Gain by section")
    table.wait_for()
    page.keyboard.press("Tab")
    page.keyboard.type("-6")
    page.keyboard.press("Enter")
    page.wait_for_function("window.tinKettle.state().recipe.automation.length === 1")
    (ride,) = bench.state("recipe.automation")
    assert [(point["at"], point["value"]) for point in ride["points"]] == [
        (0, 0),
        ({"section": "c", "edge": "start", "offset_s": 0}, -6),
    ]
    table.get_by_role("button", name="Gain in Verse 2").focus()
    page.keyboard.press("ArrowUp")
    page.wait_for_function("window.tinKettle.state().recipe.automation[0].points.length === 3")
    page.keyboard.press("Escape")
    table.wait_for(state="detached")
    bench_row(page, "t").get_by_text("by section").wait_for()
    # and the same on its lane
    lane = page.get_by_role("slider", name="Trim gain")
    lane.focus()
    page.keyboard.press("PageDown")
    page.keyboard.press("PageDown")
    page.keyboard.press("ArrowRight")
    page.wait_for_function("window.tinKettle.state().recipe.automation[0].points[1].at.offset_s === 0.1")
    page.keyboard.press("Delete")
    page.wait_for_function("window.tinKettle.state().recipe.automation[0].points.length === 2")


def test_a_lane_is_drawn_once_for_every_move_and_the_others_are_not(bench, tone_song, server):
    rides = [{"target": stage, "param": "gain_db", "points": [{"at": 2.0, "value": 0.0}]} for stage in ("t", "u")]
    trims = [{"id": stage, "kind": "trim"} for stage in ("t", "u")]
    server.save(tone_song, dump_recipe(recipe_of(*trims, automation=rides)))
    bench.open(tone_song, tapped=False)
    bench.surveyed()
    lane, other = bench.page.get_by_role("slider", name="Trim gain").all()
    lane.focus()
    lane.press("PageDown")
    bench.page.evaluate(
        """() => {
          const clear = CanvasRenderingContext2D.prototype.clearRect;
          window.drawn = new Map();
          CanvasRenderingContext2D.prototype.clearRect = function (...at) {
            window.drawn.set(this.canvas, (window.drawn.get(this.canvas) ?? 0) + 1);
            return clear.apply(this, at);
          };
        }"""
    )
    for _ in range(5):
        lane.press("ArrowUp")
        bench.page.wait_for_timeout(100)
    moved = bench.state("recipe.automation[0].points[0].value")
    times = [one.evaluate("(lane) => window.drawn.get(lane.querySelector('canvas')) ?? 0") for one in (lane, other)]
    assert (moved > 0, times) == (True, [5, 0])


def test_the_tempo_is_tapped_along_counted_in_bars_and_taken_back(bench, add_song, server):
    ride = {"target": "t", "param": "gain_db", "points": [{"at": 0, "value": 0}, {"at": 10, "value": -1}]}
    song = add_song(tone(440, -20, 20), "Free")
    server.save(song, dump_recipe(recipe_of({"id": "t", "kind": "trim"}, automation=[ride])))
    bench.open(song)
    page = bench.page
    bench.surveyed()
    bench.play()
    page.get_by_role("button", name="no steady tempo").click()
    page.get_by_text("Play, and tap the beats").wait_for()
    tap = page.get_by_role("button", name=re.compile("^tap"))
    for _ in range(6):
        tap.press("Enter")
        page.wait_for_timeout(470)
    page.get_by_text("As it was tapped.").wait_for()
    found = bench.state("grid.bpm")
    assert 90 < found < 135, "a tap each half second or a little later"
    page.get_by_label("Beats of a bar").get_by_text("3 beats").click()
    page.get_by_text("bars of 3").wait_for()
    page.get_by_role("button", name="as found").click()
    page.get_by_text("no steady tempo").wait_for()
    assert bench.state("grid") is None
