"""What drawing costs: a lane among many dragged, the main thread while the song plays and while it rests."""

from __future__ import annotations

import time
from collections.abc import Iterator
from pathlib import Path
from typing import Any

from bench.engine import EIGHT, RIDDEN, RIDDEN_CHAIN
from tests.browser.driving import Bench, Server, chromium
from tests.conftest import music, recipe_of, write_wav
from tin_kettle.core.recipe.reading import dump_recipe

SECONDS = 60
POINTS = 200
DRAG_S = 3.0
WATCH_S = 5.0
SETTLED_MS = 4000
"""Pictures settle for a while after the last change."""
# the hand is down: from picture to picture it goes on, to and fro, or rests, and what is shown is counted
DRAG = """
([x, y, dx, dy, seconds]) => new Promise((done) => {
  const under = document.elementFromPoint(x, y);
  const began = performance.now();
  let [pictures, states, longest, before, at] = [0, 0, 0, null, began];
  const picture = (now) => {
    const { recipe } = window.tinKettle.state();
    pictures += 1;
    if (recipe !== before) states += 1;
    longest = Math.max(longest, now - at);
    [before, at] = [recipe, now];
    const spent = (now - began) / 1000;
    if (spent > seconds) return done({ pictures: pictures / spent, states: states / spent, longest });
    const share = Math.abs((spent % 1) * 2 - 1);
    requestAnimationFrame(picture);
    if (!dx && !dy) return;
    const place = { clientX: x + share * dx, clientY: y + share * dy, pointerId: 1, buttons: 1, bubbles: true };
    under.dispatchEvent(new PointerEvent("pointermove", place));
  };
  requestAnimationFrame(picture);
})
"""


def rows(folder: Path) -> Iterator[tuple[str, str, str]]:
    """(what, measured, goal)."""
    server = Server(folder / "drawing")
    path = write_wav(folder / "d.wav", music(float(SECONDS)) * 0.5)
    ridden, plain = server.add_song(path, "Ridden"), server.add_song(path, "Plain")
    server.save(ridden, dump_recipe(recipe_of(*RIDDEN_CHAIN, automation=_many_points())))
    tone = {"id": "e", "kind": "equalizer", "params": {"bands": EIGHT}}
    server.save(plain, dump_recipe(recipe_of(tone, {"id": "c", "kind": "compressor"}, {"id": "l", "kind": "limiter"})))
    with chromium() as browser:
        bench = Bench(browser, server)
        bench.open(ridden, tapped=False)
        lane = bench.page.get_by_role("slider", name="Trim gain")
        box = lane.bounding_box()
        assert box is not None
        x, y = box["x"] + box["width"] * 0.5, box["y"] + box["height"] * 0.5
        yield f"20 lanes of {POINTS} points, one point dragged", _dragged(bench, x, y, (0.0, -10.0)), "≥ 30 a second"
        bench.close()
        bench = Bench(browser, server)
        bench.open(plain, tapped=False)
        bench.page.wait_for_function("window.tinKettle.state().connected")
        bench.surveyed()
        bench.page.locator("[data-stage=c] [aria-current]").click()
        slider = bench.page.get_by_label("Stage").get_by_role("slider", name="Release").bounding_box()
        assert slider is not None
        middle = slider["x"] + slider["width"] / 2, slider["y"] + slider["height"] / 2
        still = _dragged(bench, *middle, (0.0, 0.0)).split(",")[0]
        yield "a slider dragged", f"{_dragged(bench, *middle, (60.0, 0.0))}; {still} where it rests", "60 a second"
        bench.surveyed()
        bench.page.wait_for_timeout(SETTLED_MS)
        busy, script = _busy(bench)
        yield "script at rest; all of the main thread", f"{script:.1%}; {busy:.1%}", "≤ 1 % of script"
        bench.play()
        busy, script = _busy(bench)
        yield (
            "main thread while a compressor's pictures play; script alone",
            f"{busy:.0%}; {script:.0%}",
            "≤ 40 % at 30 pictures a second",
        )
        bench.close()
    server.stop()


def _many_points() -> list[dict[str, Any]]:
    return [
        {
            "target": target,
            "param": param,
            "points": [
                {"at": round(SECONDS * i / POINTS, 3), "value": low + (high - low) * (i % 7) / 6, "ramp": "line"}
                for i in range(POINTS)
            ],
        }
        for target, param, low, high in RIDDEN
    ]


def _dragged(bench: Bench, x: float, y: float, reach: tuple[float, float]) -> str:
    """What the screen does while a hand moves."""
    bench.page.mouse.move(x, y)
    bench.page.mouse.down()
    found = bench.page.evaluate(DRAG, [x, y, *reach, DRAG_S])
    bench.page.mouse.up()
    pictures, states, longest_ms = (found[name] for name in ("pictures", "states", "longest"))
    return f"{pictures:.0f} pictures a second, {states:.0f} of them moved, {longest_ms:.0f} ms at most between two"


def _busy(bench: Bench) -> tuple[float, float]:
    """The share of the time in which the page's main thread has something to do, and in which it runs script."""
    session = bench.page.context.new_cdp_session(bench.page)
    session.send("Performance.enable")

    def spent() -> tuple[float, float]:
        found = {one["name"]: one["value"] for one in session.send("Performance.getMetrics")["metrics"]}
        return float(found["TaskDuration"]), float(found["ScriptDuration"])

    bench.page.wait_for_timeout(1500)
    before, began = spent(), time.monotonic()
    bench.page.wait_for_timeout(1000 * WATCH_S)
    took_s = time.monotonic() - began
    busy, script = (late - early for late, early in zip(spent(), before, strict=True))
    return busy / took_s, script / took_s
