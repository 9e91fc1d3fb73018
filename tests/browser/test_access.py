"""axe-core finds nothing to object to, on every view, in both themes; fingers drag as a mouse does."""

from pathlib import Path

import pytest

from tests.browser.driving import Bench
from tests.browser.test_splits import SPLIT, bench_row
from tests.conftest import music

pytestmark = pytest.mark.live
AXE = (Path(__file__).parents[2] / "frontend/node_modules/axe-core/axe.min.js").read_text()
OBJECTIONS = """
async () => {
  const found = [];
  const { theme } = document.documentElement.dataset;
  // what is pale is pale in one of the themes; all else is the same in both
  for (const [shown, options] of [["dark", { runOnly: ["color-contrast"] }], ["light", {}]]) {
    document.documentElement.dataset.theme = shown;
    const { violations } = await axe.run(document, options);
    found.push(...violations.map(({ id, nodes }) => `${shown}, ${id}: ` +
      nodes.map(({ html, failureSummary }) => `${html.slice(0, 120)} ${failureSummary}`).join(" | ")));
  }
  document.documentElement.dataset.theme = theme;
  return found;
}
"""


@pytest.fixture
def page(bench, add_song):
    bands = [{"id": "b1", "shape": "bell", "hz": 1000, "gain_db": -2, "channels": "mid"}]
    master = [
        {"id": "f", "kind": "filter", "params": {"high_pass_on": True}},
        {"id": "e", "kind": "equalizer", "params": {"bands": bands}},
        {"id": "d", "kind": "dynamic_equalizer", "params": {"bands": [{"id": "p", "hz": 3000, "range_db": -6}]}},
        {"id": "b", "kind": "band_dynamics"},
        {"id": "n", "kind": "tamer"},
        {"id": "lv", "kind": "leveller"},
        {"id": "tr", "kind": "transients"},
        {"id": "sat", "kind": "saturator", "params": {"emphasis_on": True}},
        {"id": "cl", "kind": "clipper"},
        {"id": "ro", "kind": "room"},
        {"id": "hold", "kind": "compressor", "params": {"detector_filters": [{"kind": "high_pass", "hz": 100}]}},
        SPLIT,
        {"id": "l", "kind": "limiter"},
    ]
    song = add_song(music(4.0) * 0.3, "Names", master=master)
    document = bench.server.ask(f"/api/songs/{song}")["revision"]["recipe"]
    sections = [
        {"id": "v", "name": "Verse", "start_s": 0, "end_s": 2},
        {"id": "k", "name": "K", "start_s": 2, "end_s": 4},
    ]
    bench.server.save(song, {**document, "sections": sections})
    bench.open(song, tapped=False)
    bench.page.evaluate(AXE)
    bench.surveyed()
    return bench.page


def test_nothing_is_nameless_pale_or_out_of_reach(page):
    page.keyboard.press("v")
    assert page.evaluate(OBJECTIONS) == [], "the song as a whole"
    for stage in ("f", "e", "d", "b", "n", "lv", "tr", "sat", "cl", "ro", "hold", "parts", "t", "l"):
        bench_row(page, stage).click()
        page.get_by_label("Stage").get_by_role("slider").first.wait_for()
        assert page.evaluate(OBJECTIONS) == [], stage
    page.get_by_role("tab", name="Mix").click()
    assert page.evaluate(OBJECTIONS) == [], "an empty bus"
    page.keyboard.press("w")
    assert page.evaluate(OBJECTIONS) == [], "with the lows' sweep"
    page.keyboard.press("a")
    page.get_by_label("Find a stage").wait_for()
    assert page.evaluate(OBJECTIONS) == [], "adding a stage"
    page.keyboard.press("Escape")
    for opener in ("Compare …", "Print", "Shortcuts ?", "History", "Chains …"):
        page.get_by_role("button", name=opener).click()
        dialog = page.get_by_role("dialog")
        dialog.wait_for()
        page.wait_for_timeout(200)
        assert page.evaluate(OBJECTIONS) == [], opener
        for tab in dialog.get_by_role("tab").all():
            tab.click()
            assert page.evaluate(OBJECTIONS) == [], f"{opener} {tab.text_content()}"
        page.keyboard.press("Escape")


def test_loops_and_sections_are_worked_with_by_keys(page):
    def state(path):
        return page.evaluate(f"window.tinKettle.state().{path}")

    page.get_by_role("slider", name="Section K").press("Enter")
    assert state("loop") == [96000, 192000]
    page.get_by_role("slider", name="Start of the loop").press("ArrowRight")
    page.get_by_role("slider", name="End of the loop").press("Shift+ArrowLeft")
    assert state("loop") == [96000 + 4800, 192000 - 480]
    page.get_by_role("slider", name="Section K").press("PageDown")
    assert [s["start_s"] for s in state("recipe.sections")] == [0, 1]
    page.get_by_role("slider", name="Section K").press("F2")
    page.get_by_label("Name of the section").fill("Chorus")
    page.keyboard.press("Enter")
    assert [s["name"] for s in state("recipe.sections")] == ["Verse", "Chorus"]
    page.get_by_role("slider", name="Start of the loop").press("Home")
    page.keyboard.press("]")
    assert state("loop")[1] <= 192000


def test_after_a_pin_is_removed_the_stage_is_not(page):
    bench_row(page, "e").click()
    page.locator("[data-band=b1]").focus()
    for _ in range(2):
        page.keyboard.press("Delete")
    ids = page.evaluate("window.tinKettle.state().recipe.master.map(({ id }) => id)")
    assert ids == ["f", "e", "d", "b", "n", "lv", "tr", "sat", "cl", "ro", "hold", "parts", "l"]
    assert page.evaluate("window.tinKettle.state().recipe.master[1].params.bands") == []


def test_a_band_is_searched_for_and_a_pin_placed_by_keys(page):
    bench_row(page, "e").click()
    page.get_by_label("Stage").get_by_role("button", name="Sweep").click()
    search = page.get_by_role("group", name="Searching")
    for _ in range(12):
        search.press("ArrowRight")
    listening = page.evaluate("window.tinKettle.state().listening")
    assert listening["low_hz"] < 2000 < listening["high_hz"]
    search.press("Enter")
    band = page.evaluate("window.tinKettle.state().recipe.master[1].params.bands.at(-1)")
    assert band["hz"] == pytest.approx(2000, rel=0.02)
    assert band["gain_db"] == -2


def finger(page, path, hold_ms=30):
    """A finger that goes down, along a path, and up again."""
    session = page.context.new_cdp_session(page)
    for index, (x, y) in enumerate(path):
        kind = "touchMove" if index else "touchStart"
        session.send("Input.dispatchTouchEvent", {"type": kind, "touchPoints": [{"x": x, "y": y}]})
        page.wait_for_timeout(30 if index else hold_ms)
    session.send("Input.dispatchTouchEvent", {"type": "touchEnd", "touchPoints": []})
    page.wait_for_timeout(30)


def test_rules_crossovers_and_stages_are_dragged_with_a_finger(browser, server, add_song):
    song = add_song(music(4.0) * 0.3, "Touch", master=[{"id": "u", "kind": "trim"}, SPLIT])
    tablet = Bench(browser, server, has_touch=True)
    try:
        tablet.open(song, tapped=False)
        page = tablet.page
        bench_row(page, "parts").tap()
        box = page.get_by_role("slider", name="Crossover 1").bounding_box()
        x, y = box["x"] + 6, box["y"] + 50
        finger(page, [(x, y), (x + 20, y), (x + 60, y)])
        assert tablet.state("recipe.master[1].params.crossovers_hz[0]") > 900
        level = page.get_by_label("Branch Low").get_by_role("slider", name="Level").bounding_box()
        x, y = level["x"] + 5, level["y"] + 5
        finger(page, [(x, y), (x + 20, y), (x + 30, y)])
        assert tablet.state("recipe.master[1].params.branches[0].gain_db") > 2
        # a row is held for a moment, so that the list can still be moved by a flick
        start, end = bench_row(page, "u").bounding_box(), page.locator("[data-branch=high]").bounding_box()
        x, y = start["x"] + 130, start["y"] + 15
        finger(page, [(x, y + (end["y"] + 24 - y) * share) for share in (0, 0.3, 0.7, 1, 1)], hold_ms=350)
        assert tablet.state("recipe.master[0].params.branches[1].chain[0].id") == "u"
        assert tablet.errors == []
    finally:
        tablet.close()


SEARCHES = {
    "dynamic_equalizer": ("de-ess", "sibilance", "boomy", "dynamic eq"),
    "compressor": ("glue", "sidechain", "side-chain", "duck", "bus comp"),
    "filter": ("sub", "rumble", "low cut"),
    "tamer": ("harsh", "resonance", "ringing"),
    "stereo": ("mono", "wide", "width", "bass mono"),
    "split": ("NY", "New York", "parallel"),
    "saturator": ("tape", "warm", "exciter"),
    "limiter": ("LUFS", "true peak", "brickwall", "loudness"),
    "transients": ("click", "punch"),
    "equalizer": ("eq", "air", "mud", "mid-side"),
    "band_dynamics": ("multiband", "expander"),
    "clipper": ("clip",),
    "leveller": ("even",),
    "room": ("reverb",),
    "trim": ("polarity", "dc"),
}


def test_the_search_for_a_stage_knows_the_trade(bench, tone_song):
    bench.open(tone_song, tapped=False)
    page = bench.page
    page.keyboard.press("a")
    field = page.get_by_label("Find a stage")
    offered = {}
    for words in (one for asked in SEARCHES.values() for one in asked):
        field.fill(words)
        offered[words] = page.locator("#stages-found [role=option]").first.get_attribute("id").removeprefix("found-")
    assert offered == {words: kind for kind, asked in SEARCHES.items() for words in asked}
