"""Pictures of the main views, made from the demo record: ``make screenshots``."""

from __future__ import annotations

import tempfile
import time
from collections.abc import Callable
from pathlib import Path

from tests.browser.driving import Bench, Server, chromium

FOLDER = Path("docs/screenshots")


def playing_chorus(bench: Bench) -> None:
    box = bench.page.get_by_test_id("songmap").bounding_box()
    assert box is not None
    bench.page.mouse.click(box["x"] + box["width"] * 0.36, box["y"] + 8)
    bench.page.keyboard.press("Space")
    time.sleep(6)


def filters(bench: Bench) -> None:
    bench.page.locator("[data-stage=clean]").click()
    time.sleep(2)


def limiter(bench: Bench) -> None:
    bench.page.locator("[data-stage=ceiling]").click()
    time.sleep(2)


def printing(bench: Bench) -> None:
    bench.page.get_by_role("button", name="Print").click()
    dialog = bench.page.get_by_role("dialog")
    dialog.get_by_role("button", name="Print", exact=True).click()
    dialog.get_by_role("link", name="Download").wait_for(timeout=60000)


def keys(bench: Bench) -> None:
    bench.page.keyboard.press("Escape")
    bench.page.keyboard.press("?")
    time.sleep(0.5)


VIEWS: dict[str, Callable[[Bench], None]] = {
    "bench": playing_chorus,
    "filters": filters,
    "limiter": limiter,
    "print": printing,
    "keys": keys,
}


def main() -> None:
    FOLDER.mkdir(parents=True, exist_ok=True)
    with tempfile.TemporaryDirectory() as home, chromium() as browser:
        server = Server(Path(home), "demo")
        bench = Bench(browser, server)
        bench.open(tapped=False)
        bench.surveyed()
        for name, show in VIEWS.items():
            show(bench)
            bench.page.screenshot(path=FOLDER / f"{name}.png")
        bench.close()
        server.stop()


if __name__ == "__main__":
    main()
