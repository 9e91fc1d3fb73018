"""Everything has a name, and every word can be read, in both themes."""

from pathlib import Path

import pytest

from tests.conftest import music

pytestmark = pytest.mark.browser
LOOK = Path(__file__).with_name("access.js").read_text().rstrip().removesuffix(";")


def unreadable(page):
    return page.evaluate(LOOK)


@pytest.fixture
def page(bench, add_song):
    bands = [{"id": "b1", "shape": "bell", "hz": 1000, "gain_db": -2, "channels": "mid"}]
    master = [
        {"id": "f", "kind": "filter", "params": {"high_pass_on": True}},
        {"id": "e", "kind": "equalizer", "params": {"bands": bands}},
        {"id": "c", "kind": "compressor", "params": {"detector_filters": [{"kind": "high_pass", "hz": 100}]}},
        {"id": "l", "kind": "limiter"},
    ]
    bench.open(add_song(music(4.0) * 0.3, "Names", master=master), tapped=False)
    bench.surveyed()
    return bench.page


@pytest.mark.parametrize("dark", [False, True])
def test_names_and_contrast(page, dark):
    if dark:
        page.get_by_role("button", name="Theme").click()
    nothing = {"nameless": [], "pale": []}
    for stage in "fecl":
        page.locator(f"[data-stage={stage}]").click()
        page.get_by_label("Stage").get_by_role("slider").first.wait_for()
        assert unreadable(page) == nothing, stage
    page.keyboard.press("w")
    assert unreadable(page) == nothing, "with the lows' sweep"
    for opener in ("Compare …", "Print", "Keys ?"):
        page.get_by_role("button", name=opener).click()
        page.get_by_role("dialog").wait_for()
        assert unreadable(page) == nothing, opener
        page.keyboard.press("Escape")
