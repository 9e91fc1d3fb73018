"""A hand that drags a slider to and fro for ever, and tells every value as soon as the bench shows it."""

from __future__ import annotations

import sys
import time

from tests.browser.driving import chromium

STEP_S = 0.016


def main(address: str) -> None:
    with chromium() as browser:
        page = browser.new_page(viewport={"width": 1280, "height": 800}, bypass_csp=True)
        page.goto(address)
        page.wait_for_function("window.tinKettle?.state().connected")
        slider = page.get_by_role("slider", name="Gain").bounding_box()
        assert slider is not None
        x, y = slider["x"] + slider["width"] / 2, slider["y"] + slider["height"] / 2
        page.mouse.move(x, y)
        page.mouse.down()
        step = 0
        while True:
            step += 1
            # no value twice, so that each tells its moment
            page.mouse.move(x + 0.4 * step, y)
            value = page.evaluate("window.tinKettle.state().recipe.master[0].params.gain_db")
            print(f"{time.time()} {value}", flush=True)  # noqa: T201
            time.sleep(STEP_S)


if __name__ == "__main__":
    main(sys.argv[1])
