"""Pictures of the main views, made from the demo record: ``make screenshots``."""

from __future__ import annotations

import tempfile
import time
from collections.abc import Callable
from pathlib import Path

from tests.browser.driving import Bench, Server, chromium
from tin_kettle.core.deliver.listening_page.build import make_page
from tin_kettle.core.deliver.listening_page.document import Page
from tin_kettle.core.recipe.reading import save_recipe
from tin_kettle.demo.library import fill_demo
from tin_kettle.store.database import Library
from tin_kettle.store.songs import current_revision, list_songs
from tin_kettle.store.sources import song_sources, source_path

FOLDER = Path("docs/screenshots")


def _loop_at(bench: Bench, share: float) -> None:
    box = bench.page.get_by_test_id("songmap").bounding_box()
    assert box is not None
    bench.page.mouse.click(box["x"] + box["width"] * share, box["y"] + 8)


def playing_chorus(bench: Bench) -> None:
    _loop_at(bench, 0.36)
    bench.page.keyboard.press("Space")
    time.sleep(6)


def with_levels(bench: Bench) -> None:
    bench.page.get_by_role("button", name="Levels", exact=True).click()
    bench.page.get_by_label("Levels along the chain").get_by_role("listitem").nth(2).wait_for(timeout=60000)
    playing_chorus(bench)


def filters(bench: Bench) -> None:
    bench.page.get_by_role("button", name="Levels", exact=True).click()
    bench.page.locator("[data-stage=clean]").click()
    # what it wins or costs is measured while nothing plays
    bench.page.keyboard.press("Space")
    bench.page.get_by_test_id("headroom").wait_for(timeout=60000)
    bench.page.keyboard.press("Space")
    time.sleep(4)


def limiter(bench: Bench) -> None:
    bench.page.locator("[data-stage=ceiling]").click()
    time.sleep(2)


MOVES = """
() => {
  const bands = [
    { id: "b1", shape: "high_pass", hz: 28, slope: 24, channels: "mid" },
    { id: "b2", hz: 62, gain_db: -1.4, q: 1.1, channels: "mid" },
    { id: "b3", hz: 3440, gain_db: -2.4, q: 5, channels: "mid" },
    { id: "b4", shape: "high_shelf", hz: 9000, gain_db: 0.8, channels: "mid" },
    { id: "b5", shape: "high_pass", hz: 150, slope: 12, channels: "side" },
    { id: "b6", shape: "high_shelf", hz: 6500, gain_db: 1.2, channels: "side" },
  ].map((band) => ({ on: true, shape: "bell", gain_db: 0, q: 0.707, slope: 12, ...band }));
  window.tinKettle.act.move("equalizer-1", "bands", bands);
}
"""


def equalizer(bench: Bench) -> None:
    bench.page.keyboard.press("e")
    bench.page.evaluate(MOVES)
    bench.surveyed()
    bench.page.locator("[data-band=b3]").focus()
    time.sleep(3)


def night(bench: Bench) -> None:
    bench.page.get_by_role("button", name="Theme").click()
    time.sleep(1)


def before_after(bench: Bench) -> None:
    # by day again
    bench.page.get_by_role("button", name="Theme").click()
    bench.page.get_by_role("button", name="Compare …").click()
    bench.page.get_by_role("tab", name="Before and after").click()
    bench.page.get_by_label("Figures").wait_for(timeout=60000)
    time.sleep(1)


def references(bench: Bench) -> None:
    bench.page.get_by_role("tab", name="References").click()
    bench.page.get_by_text("−11.").first.wait_for(timeout=60000)


def buses(bench: Bench) -> None:
    bench.page.keyboard.press("Escape")
    bench.page.get_by_label("Songs").click()
    bench.page.get_by_role("menuitem", name="Pilot Light").click()
    bench.page.get_by_role("tab", name="Bass").wait_for()
    bench.surveyed()
    bench.page.get_by_role("tab", name="Bass").click()
    _loop_at(bench, 0.5)
    bench.page.keyboard.press("Space")
    time.sleep(6)


PARTS = {
    "id": "parts",
    "kind": "split",
    "params": {
        "by": "bands",
        "crossovers_hz": [120, 3200],
        "branches": [
            {
                "id": "low",
                "name": "Low",
                "chain": [
                    {
                        "id": "low-hold",
                        "kind": "compressor",
                        "params": {"threshold_db": -24, "ratio": 2.5, "attack_ms": 25, "release_ms": 180},
                    }
                ],
            },
            {"id": "middle", "name": "Middle", "chain": []},
            {
                "id": "high",
                "name": "High",
                "gain_db": -0.5,
                "chain": [
                    {
                        "id": "high-tame",
                        "kind": "compressor",
                        "params": {"threshold_db": -30, "ratio": 2, "attack_ms": 4, "release_ms": 90},
                    },
                    {"id": "high-up", "kind": "trim", "params": {"gain_db": 0.6}},
                ],
            },
        ],
    },
}


def split(bench: Bench) -> None:
    bench.page.keyboard.press("Space")
    bench.saved()
    recipe = bench.state("revision.recipe")
    recipe["master"].insert(-1, PARTS)
    bench.server.save(bench.state("song.id"), recipe)
    bench.page.reload()
    bench.page.get_by_role("tab", name="Master").click()
    bench.page.locator("[data-stage=parts]").click()
    bench.surveyed()
    _loop_at(bench, 0.5)
    bench.page.keyboard.press("Space")
    time.sleep(6)


def song(bench: Bench) -> None:
    bench.page.keyboard.press("v")
    time.sleep(3)


def _with(bench: Bench, stage: str, **fields: object) -> None:
    """Put a stage of a kind at the beginning of the master, and choose it while the chorus plays."""
    song = int(bench.state("song.id"))
    recipe = bench.server.ask(f"/api/songs/{song}")["revision"]["recipe"]
    kept = [one for one in recipe["master"] if one["id"] != "shown"]
    bench.server.save(song, {**recipe, "master": [{"id": "shown", "kind": stage, **fields}, *kept]})
    bench.page.reload()
    bench.page.get_by_label("Song map").wait_for()
    bench.page.wait_for_function("window.tinKettle.state().connected")
    bench.page.locator("[data-stage=shown]").click()
    bench.surveyed()
    playing_chorus(bench)


def dynamic_equalizer(bench: Bench) -> None:
    pins = [
        {"id": "s", "hz": 6800, "q": 2.5, "range_db": -6, "threshold_db": -38, "ratio": 4},
        {"id": "low", "shape": "low_shelf", "hz": 110, "gain_db": 1.5, "range_db": -4, "threshold_db": -16},
        {"id": "band", "shape": "flat_top", "hz": 2400, "range_db": 3, "when": "below", "threshold_db": -30},
    ]
    _with(bench, "dynamic_equalizer", params={"bands": pins})


def band_dynamics(bench: Bench) -> None:
    bands = [
        {"id": "low", "threshold_db": -20, "ratio": 3, "attack_ms": 20},
        {"id": "low-mid", "threshold_db": -24, "ratio": 1.5},
        {"id": "high-mid", "gain_db": -1},
        {"id": "high", "mode": "lift", "threshold_db": -40, "ratio": 2, "range_db": 6},
    ]
    _with(bench, "band_dynamics", params={"bands": bands})


def tamer(bench: Bench) -> None:
    _with(bench, "tamer", params={"threshold_db": 2, "strength": 0.7})


def saturator(bench: Bench) -> None:
    _with(bench, "saturator", params={"curve": "firm", "drive_db": 9, "emphasis_on": True, "emphasis_db": 6})


def hits(bench: Bench) -> None:
    lifted = {"id": "lift", "kind": "transients", "params": {"attack_db": 3}}
    branches = [
        {"id": "hits", "name": "Hits", "gain_db": 2, "chain": [lifted]},
        {"id": "tonal", "name": "Tonal"},
        {"id": "rest", "name": "Rest"},
    ]
    _with(bench, "split", params={"by": "percussive", "branches": branches})


def automation(bench: Bench) -> None:
    song = next(one["id"] for one in bench.server.ask("/api/songs") if one["title"] == "Low Bridge")
    versions = bench.server.ask(f"/api/songs/{song}/versions")
    bench.server.save(song, next(one["recipe"] for one in versions if one["name"] == "By section"))
    bench.page.goto(f"{bench.server.url}/songs/{song}")
    bench.page.wait_for_function("window.tinKettle?.state().connected")
    bench.surveyed()
    bench.page.locator("[data-stage=air]").click()
    bench.page.locator("[data-ride='air mix']").hover()
    bench.page.get_by_role("button", name="Mix by section").click()
    playing_chorus(bench)


def stereo(bench: Bench) -> None:
    params = {"width": 1.15, "mono_below_hz": 120, "crossovers_hz": [250, 4000], "widths": [1, 1, 1.2]}
    _with(bench, "stereo", params=params)


def record(bench: Bench) -> None:
    bench.page.get_by_role("button", name="Record", exact=True).click()
    bench.page.get_by_label("Documents").wait_for(timeout=300000)
    bench.page.wait_for_function("window.tinKettle.state().song?.id === 0", timeout=300000)
    for spec in ("24-bit archive", "Streaming"):
        bench.page.get_by_label(f"All by {spec}").check()
    bench.page.get_by_role("button", name="Deliver selected").click()
    done = "document.querySelectorAll('[aria-label=\"Songs by specs\"] a[href$=file]').length >= 8"
    bench.page.wait_for_function(done, timeout=300000)
    bench.page.get_by_label("Level of Last Crossing").fill("-2.5")
    bench.page.get_by_label("Level of Last Crossing").press("Enter")
    bench.page.get_by_label("All by CD-rate master").check()
    bench.page.get_by_role("button", name="Deliver selected").click()
    bench.page.get_by_role("button", name="Play transition of Slack Water and Last Crossing").click()
    time.sleep(5)


def listening_page(bench: Bench) -> None:
    library = Library(bench.server.home)
    songs = [song for song in list_songs(library) if song.title in ("Low Bridge", "Last Crossing")]
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        contents = []
        for song in songs:
            recipe, (source,) = current_revision(library, song.id).recipe, song_sources(library, song.id).values()
            save_recipe(folder / f"{song.id}.kettle.json", recipe)
            file = str(source_path(library, source))
            takes = [
                {"name": "As received", "file": file},
                {"name": "Mastered", "file": file, "recipe": f"{song.id}.kettle.json"},
            ]
            sections = [{"name": one.name, "at_s": one.start_s} for one in recipe.sections if one.name]
            contents.append({"title": song.title, "sections": sections, "takes": takes})
        about = {"title": "Slack Water", "artist": "Ferry Ticket Ensemble", "message": "Is the bass firm enough?"}
        document = {"format": "tin-kettle-page", "version": 1, **about, "songs": contents}
        make_page(Page.model_validate(document), folder, folder / "page.html")
        bench.page.goto((folder / "page.html").as_uri())
        bench.page.get_by_role("button", name="Play", exact=True).click()
        time.sleep(3)


VIEWS: dict[str, Callable[[Bench], None]] = {
    "bench": with_levels,
    "filters": filters,
    "limiter": limiter,
    "equalizer": equalizer,
    "night": night,
    "before-after": before_after,
    "references": references,
    "buses": buses,
    "split": split,
    "song": song,
    "dynamic-equalizer": dynamic_equalizer,
    "band-dynamics": band_dynamics,
    "tamer": tamer,
    "saturator": saturator,
    "hits": hits,
    "automation": automation,
    "stereo": stereo,
    "record": record,
    "listening-page": listening_page,
}


def main() -> None:
    FOLDER.mkdir(parents=True, exist_ok=True)
    with tempfile.TemporaryDirectory() as home, chromium() as browser:
        # the whole record first: what is still being made would show
        fill_demo(Library(Path(home)), print)
        server = Server(Path(home), "demo")
        try:
            bench = Bench(browser, server)
            bench.open(tapped=False)
            bench.surveyed()
            for name, show in VIEWS.items():
                show(bench)
                bench.page.screenshot(path=FOLDER / f"{name}.png")
            bench.close()
        finally:
            server.stop()


if __name__ == "__main__":
    main()
