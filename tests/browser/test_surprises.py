"""The bench does what the hand means: what once surprised somebody."""

import base64

import pytest
from playwright.sync_api import expect

from tests.browser.driving import Bench, Server, expect_soon
from tests.browser.test_bench import rule
from tests.browser.test_splits import bench_row
from tests.conftest import music, recipe_of, tone, write_wav
from tin_kettle.core.recipe.reading import dump_recipe

pytestmark = pytest.mark.live


def test_without_the_browsers_sound_the_remedy_is_told(browser, server, tone_song):
    plain = Bench(browser, server)
    try:
        plain.page.add_init_script(
            "Object.defineProperty(BaseAudioContext.prototype, 'audioWorklet', { value: undefined })"
        )
        plain.open(tone_song, tapped=False)
        expect(plain.page.get_by_role("alert")).to_contain_text("over HTTPS, or through a tunnel")
        assert plain.errors == []
    finally:
        plain.close()


def test_a_library_without_songs_takes_what_is_dropped(browser, tmp_path):
    own = Server(tmp_path / "home")
    bench = Bench(browser, own)
    sound = base64.b64encode(write_wav(tmp_path / "First.wav", tone(440, -20, 2)).read_bytes()).decode()
    try:
        bench.page.goto(own.url)
        bench.page.get_by_text("Bring a pre-master").wait_for()
        bench.page.evaluate(
            """(sound) => {
              const bytes = Uint8Array.from(atob(sound), (c) => c.charCodeAt(0));
              const dataTransfer = new DataTransfer();
              dataTransfer.items.add(new File([bytes], "First.wav"));
              for (const kind of ["dragover", "drop"])
                document.body.dispatchEvent(new DragEvent(kind, { dataTransfer, bubbles: true, cancelable: true }));
            }""",
            sound,
        )
        bench.page.get_by_label("Song map").wait_for()
        assert bench.state("song.title") == "First"
        assert bench.errors == []
    finally:
        bench.close()
        own.stop()


def test_pictures_follow_the_theme(bench, music_song):
    bench.open(music_song, tapped=False)
    bench.surveyed()
    ink = """() => {
      const canvas = document.querySelector("[data-testid=songmap] canvas");
      const { data } = canvas.getContext("2d").getImageData(0, 0, canvas.width, canvas.height);
      return data.reduce((sum, value) => sum + value, 0);
    }"""
    before = bench.page.evaluate(ink)
    bench.page.get_by_role("button", name="Theme").click()
    bench.page.wait_for_function(f"(before) => ({ink})() !== before", arg=before)


def test_a_version_that_is_forgotten_while_it_is_compared_leaves_nothing_behind(bench, music_song, server):
    server.ask(f"/api/songs/{music_song}/versions", {"name": "Gone soon"})
    bench.open(music_song, tapped=False)
    page = bench.page
    bench.surveyed()
    page.get_by_role("button", name="Gone soon").click()
    page.get_by_role("button", name="Compare …").click()
    page.get_by_label("Forget Gone soon").click()
    page.wait_for_function("window.tinKettle.state().other === 'received'")
    page.keyboard.press("Escape")
    expect(page.get_by_label("Match loudness")).to_contain_text("loudness matched")


def test_a_threshold_dragged_in_the_picture_stays_when_the_work_is_kept(bench, add_song):
    bench.open(add_song(music(6.0) * 0.5, "Work", master=[{"id": "c", "kind": "compressor"}]), tapped=False)
    page = bench.page
    bench.surveyed()
    bench_row(page, "c").click()
    page.get_by_role("button", name="Hold gain reduction").click()
    box = page.get_by_role("img", name="over the passage").bounding_box()
    threshold = "recipe.master[0].params.threshold_db"
    before = bench.state(threshold)
    line = None
    for y in range(int(box["y"]) + 12, int(box["y"] + box["height"] * 0.7), 2):
        page.mouse.move(box["x"] + 200, y)
        if page.get_by_role("img", name="over the passage").evaluate("(c) => c.style.cursor") == "ns-resize":
            line = y + 6
            break
    assert line is not None
    page.mouse.down()
    page.mouse.move(box["x"] + 200, line + 24, steps=6)
    page.mouse.up()
    bench.saved()
    dragged = bench.state(threshold)
    assert dragged < before - 2
    rule(bench, "Attack").focus()
    page.keyboard.press("PageUp")
    page.wait_for_timeout(1500)
    bench.saved()
    assert bench.state(threshold) == pytest.approx(dragged, abs=1.5), "the new threshold is the measure now"


DRAWN = """async () => {
  let count = 0;
  const seen = new MutationObserver(() => count++);
  seen.observe(document.body, { subtree: true, childList: true, characterData: true, attributes: true });
  const fill = CanvasRenderingContext2D.prototype.clearRect;
  CanvasRenderingContext2D.prototype.clearRect = function (...at) { count++; return fill.apply(this, at); };
  await new Promise((then) => setTimeout(then, 2000));
  CanvasRenderingContext2D.prototype.clearRect = fill;
  seen.disconnect();
  return count;
}"""


def test_nothing_is_drawn_while_nothing_plays(bench, music_song):
    bench.open(music_song, tapped=False)
    bench.surveyed()
    # a busy machine brings the last pictures later
    at_rest = next((True for _ in range(15) if bench.page.evaluate(DRAWN) == 0), False)
    assert at_rest, "two seconds in which nothing is drawn"


def test_a_view_is_kept_with_its_own_song(bench, add_song, server):
    first = add_song(tone(440, -20, 8), "Seen", master=[{"id": "a", "kind": "trim"}, {"id": "b", "kind": "trim"}])
    second = add_song(tone(440, -20, 8), "Other", master=[{"id": "t", "kind": "trim"}])
    bench.open(first, tapped=False)
    page = bench.page
    page.get_by_label("Songs").click()
    page.evaluate("window.tinKettle.act.setLoop([48000, 96000])")
    page.get_by_role("menuitem", name="Other").click()
    page.wait_for_function(f"window.tinKettle.state().song.id === {second}")
    expect_soon(lambda: server.ask(f"/api/songs/{first}")["view"].get("loop"), [48000, 96000])
    assert server.ask(f"/api/songs/{second}")["view"].get("loop") is None


def test_two_windows_on_one_song_lose_nothing(browser, server, bench, add_song):
    song = add_song(tone(440, -20, 4), "Twice", master=[{"id": "t", "kind": "trim"}])
    bench.open(song, tapped=False)
    other = Bench(browser, server)
    try:
        other.open(song, tapped=False)
        bench.page.evaluate("window.tinKettle.act.move('t', 'gain_db', -3)")
        bench.saved()
        other.page.evaluate("window.tinKettle.act.move('t', 'gain_db', -8)")
        expect(other.page.get_by_role("alert")).to_contain_text("another window")
        other.page.get_by_role("button", name="Keep mine as a version").click()
        other.page.wait_for_function("window.tinKettle.state().recipe.master[0].params.gain_db === -3")
        versions = server.ask(f"/api/songs/{song}/versions")
        assert [one["recipe"]["master"][0]["params"]["gain_db"] for one in versions] == [-8]
        assert other.errors == []
    finally:
        other.close()


def test_an_edit_is_kept_when_the_tab_is_closed_at_once(browser, server, add_song):
    song = add_song(tone(440, -20, 4), "Closed", master=[{"id": "t", "kind": "trim"}])
    bench = Bench(browser, server)
    bench.open(song, tapped=False)
    bench.page.evaluate("window.tinKettle.act.move('t', 'gain_db', -5)")
    bench.page.close(run_before_unload=True)
    bench.close()
    expect_soon(lambda: server.ask(f"/api/songs/{song}")["revision"]["recipe"]["master"][0]["params"]["gain_db"], -5)


def test_a_drag_is_kept_while_it_lasts_and_is_one_edit(server, bench, add_song):
    song = add_song(tone(440, -20, 4), "Dragged", master=[{"id": "t", "kind": "trim"}])
    bench.open(song, tapped=False)
    knob = bench.page.get_by_role("slider", name="Gain").bounding_box()
    bench.page.mouse.move(knob["x"] + knob["width"] / 2, knob["y"] + knob["height"] / 2)
    bench.page.mouse.down()
    kept = set()
    for step in range(1, 300):
        bench.page.mouse.move(knob["x"] + knob["width"] / 2 + step / 2, knob["y"] + knob["height"] / 2)
        bench.page.wait_for_timeout(60)
        master = server.ask(f"/api/songs/{song}")["revision"]["recipe"]["master"]
        kept.add(master[0]["params"]["gain_db"])
        if step == 15:
            # a hand that pauses has not let go
            bench.page.wait_for_timeout(900)
        if step > 15 and len(kept) >= 3:
            break
    assert len(kept) >= 3, "twice a second, while the hand moves"
    bench.page.mouse.up()
    bench.saved()
    there = server.ask(f"/api/songs/{song}")["revision"]["recipe"]["master"][0]["params"]["gain_db"]
    assert there == bench.state("recipe.master[0].params.gain_db")
    edits = [edit for edit in server.ask(f"/api/songs/{song}/history")["edits"] if "Gain" in edit["label"]]
    assert len(edits) == 1


def test_edits_that_no_server_had_are_offered_at_the_next_start(browser, tmp_path):
    server = Server(tmp_path / "gone")
    song = server.add_song(write_wav(tmp_path / "g.wav", tone(440, -20, 4)), "Gone")
    server.save(song, dump_recipe(recipe_of({"id": "t", "kind": "trim"})))
    bench = Bench(browser, server)
    try:
        bench.open(song, tapped=False)
        server.kill()
        bench.page.evaluate("window.tinKettle.act.move('t', 'gain_db', -7)")
        bench.page.wait_for_function("localStorage.getItem(`unkept:${window.tinKettle.state().song.id}`) !== null")
        # the tab dies with the server
        bench.page.goto("about:blank")
        server.start()
        bench.page.goto(server.url)
        bench.page.get_by_role("button", name="Take them up").click()
        bench.saved()
        kept = server.ask(f"/api/songs/{song}")["revision"]["recipe"]["master"][0]["params"]["gain_db"]
        assert kept == -7
        bench.page.reload()
        bench.page.wait_for_timeout(3500)
        expect(bench.page.get_by_role("button", name="Take them up")).to_have_count(0)
    finally:
        bench.close()
        server.stop()
