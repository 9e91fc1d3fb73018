"""How soon the ear has it: moves, comparing, seeks and starts, in the real bench through a tap behind the player."""

from __future__ import annotations

import gzip
import os
import re
import subprocess
import sys
import time
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import numpy as np

from bench.engine import NINE
from tests.browser.driving import Bench, Server, chromium
from tests.conftest import RATE_HZ, music, recipe_of, tone, write_wav
from tin_kettle.core.recipe.reading import dump_recipe

MOVES = 60
STATIC = Path("src/tin_kettle/web/static")
# in times of the audio device, whose frames the tap counts: from a change, made in the page, to the first 128 frames
# that leave the player with a peak that will do; the page itself may learn of them late
UNTIL_HEARD = """
window.untilHeard = async (change, willDo) => {
  const { context, rateHz } = window.tinKettle.player;
  const peakOf = (row) => row.reduce((most, x) => Math.max(most, Math.abs(x)), 0);
  window.tapped = [];
  do await new Promise((next) => setTimeout(next, 60));
  while (!window.tapped.length);
  const before = peakOf(window.tapped.at(-1).left.subarray(-128));
  const from = context.currentTime * rateHz;
  change();
  for (let batch = 0; ; ) {
    await new Promise((next) => setTimeout(next, 15));
    for (; batch < window.tapped.length; batch++) {
      const { frame, left } = window.tapped[batch];
      for (let i = 0; i < left.length; i += 128) {
        const after_ms = ((frame + i - from) / rateHz) * 1000;
        if (after_ms > 4000) return 4000;
        if (after_ms >= 0 && willDo(peakOf(left.subarray(i, i + 128)), before)) return after_ms;
      }
    }
  }
};
window.isNear = (peak, goal, within_db) => Math.abs(20 * Math.log10(peak / goal)) < within_db;
"""
TIMED_MOVE = """
([gain, level]) => {
  const goal = level * 10 ** (gain / 20);
  const move = () => window.tinKettle.act.move("t", "gain_db", gain);
  return window.untilHeard(move, (peak) => window.isNear(peak, goal, 0.2));
}
"""
TIMED_COMPARE = """
([state, goal]) => {
  const compare = () => window.tinKettle.act.compare(state);
  return window.untilHeard(compare, (peak) => window.isNear(peak, goal, 0.1));
}
"""
# a whole recipe goes to the engine, as an edit does: to the first sample as loud as it makes the tone
TIMED_EDIT = """
([recipe, revision, goal]) => {
  const edit = () => window.tinKettle.player.ask({ type: "edit", recipe, revision });
  return window.untilHeard(edit, (peak) => window.isNear(peak, goal, 0.2));
}
"""
# the same to the first sample that is half a dB louder or softer than what was heard before
TIMED_CHANGE = """
([recipe, revision]) => {
  const edit = () => window.tinKettle.player.ask({ type: "edit", recipe, revision });
  return window.untilHeard(edit, (peak, before) => !window.isNear(peak, before, 0.5));
}
"""
TIMED_SEEK = """
async (song) => {
  const { player } = window.tinKettle;
  const { epoch } = player.report;
  const began = performance.now();
  player.ask({ type: "seek", song });
  while (player.report.epoch === epoch || player.report.starved) await new Promise((next) => setTimeout(next, 1));
  return performance.now() - began;
}
"""
# a hand that moves a value sixty times a second: how many gaps are heard meanwhile
DRAGGED = """
async (seconds) => {
  const { act, player } = window.tinKettle;
  const { underruns } = player.report;
  const end = performance.now() + 1000 * seconds;
  for (let i = 0; performance.now() < end; i++) {
    act.move("t", "gain_db", 3 * Math.sin(i / 10));
    await new Promise((next) => setTimeout(next, 16));
  }
  return player.report.underruns - underruns;
}
"""
# a busy program: it computes for ever, in a session of its own, as any other program of a desktop has
BUSY = "while True: pass"
PLAYED_S, DRAGGED_S = 60, 20
TIMED_CURVE = """
async (gain) => {
  const { act, state } = window.tinKettle;
  const before = state().described.e.picture;
  const began = performance.now();
  act.move("e", "bands", state().recipe.master[1].params.bands.map((band) => ({ ...band, gain_db: gain })));
  while (state().described.e.picture === before) await new Promise((next) => setTimeout(next, 1));
  return performance.now() - began;
}
"""


def _spread(times_ms: list[float]) -> str:
    median, late = np.percentile(times_ms, [50, 95])
    return f"{median:.0f} ms median, {late:.0f} ms at the 95th percentile"


def rows(folder: Path) -> Iterator[tuple[str, str, str]]:
    """(what, measured, goal)."""
    server = Server(folder / "home")
    path = write_wav(folder / "Tone.wav", tone(6000, -18, 60))
    song = server.add_song(path, "Tone")
    bands = [{"id": f"b{i}", "hz": 60 * 2.2**i, "q": 1} for i in range(8)]
    master = [
        {"id": "t", "kind": "trim"},
        {"id": "e", "kind": "equalizer", "params": {"bands": bands}},
        {"id": "c", "kind": "compressor", "params": {"threshold_db": 0}},
    ]
    for gain in (-3, -9, 0):
        master[0] = {"id": "t", "kind": "trim", "params": {"gain_db": gain}}
        server.save(song, {"format": "tin-kettle-recipe", "version": 1, "master": master})
        if gain:
            server.ask(f"/api/songs/{song}/versions", {"name": f"{gain} dB"})
    with chromium() as browser:
        bench = Bench(browser, server)
        bench.page.add_init_script(UNTIL_HEARD)
        bench.open(song)
        bench.plain()
        bench.page.evaluate("window.tinKettle.act.setQueue(200)")
        bench.play()
        bench.record(96000)
        level = 10 ** (-18 / 20)
        gains = [(-1) ** i * (1 + i % 5) for i in range(MOVES)]
        moves = [bench.page.evaluate(TIMED_MOVE, [gain, level]) for gain in gains]
        yield "move to ear", _spread(moves), "150 ms, aim 60 (95th percentile)"
        bench.page.evaluate("window.tinKettle.act.move('t', 'gain_db', -6)")
        bench.record(24000)
        switches = []
        for i in range(40):
            state, goal = ("received", level) if i % 2 == 0 else ("now", level * 10 ** (-6 / 20))
            switches.append(bench.page.evaluate(TIMED_COMPARE, [state, goal]))
        yield "compare switch, its 10 ms crossfade included", _spread(switches), "60 ms, aim 15"
        versions = server.ask(f"/api/songs/{song}/versions")
        states = [("received", 0.0), *((f"version:{v['id']}", float(v["name"].split()[0])) for v in versions)]
        switches = []
        for i in range(40):
            state, gain = states[i % len(states)]
            switches.append(bench.page.evaluate(TIMED_COMPARE, [state, level * 10 ** (gain / 20)]))
        yield "the same to one that is not at hand yet", _spread(switches), "60 ms, aim 15"
        bench.page.evaluate("window.tinKettle.act.compare('now')")
        curves = [bench.page.evaluate(TIMED_CURVE, (-1) ** i * (1 + i % 5)) for i in range(40)]
        yield "a pin of 8 moved: its curve, computed by the server", _spread(curves), "33 ms"
        yield "gaps in the sound meanwhile", str(bench.state("underruns")), ""
        _open(bench, server.add_song(path, "Long"), _chain())
        yield from _around_a_long_delay(bench)
        _open(
            bench, server.add_song(write_wav(folder / "Rising.wav", _rising(120.0)), "Rising"), dump_recipe(recipe_of())
        )
        yield from _by_frequency(bench)
        nine = dump_recipe(recipe_of({"id": "t", "kind": "trim"}, *NINE))
        _open(bench, server.add_song(write_wav(folder / "Long.wav", music(240.0) * 0.5), "Long song"), nine)
        yield from _beside_busy_programs(bench)
        bench.close()
        yield _import(browser, server, folder)
        server.stop()
        began = time.monotonic()
        server.start()
        bench = Bench(browser, server)
        bench.open(song, tapped=False)
        bench.page.get_by_label("Stage").get_by_role("slider").first.wait_for()
        yield "warm start to usable bench", f"{time.monotonic() - began:.1f} s", "4 s, aim 2"
        bench.close()
    server.stop()
    # what the page itself asks for; views load when they are opened
    scripts = re.findall(r'"/(assets/[^"]+\.js)"', (STATIC / "index.html").read_text())
    size = sum(len(gzip.compress((STATIC / name).read_bytes())) for name in scripts)
    yield "script on first load, gzipped", f"{size / 1000:.0f} kB", "400 kB, aim 250"


def _chain(before_db: float = 0.0, band_db: float = 0.0, behind_db: float | None = 0.0) -> dict[str, Any]:
    """A gain, a linear-phase equalizer, another gain where there is one, and a limiter that looks 10 ms ahead."""
    band = {"id": "a", "shape": "bell", "hz": 6000, "gain_db": band_db, "q": 1}
    behind = [] if behind_db is None else [{"id": "u", "kind": "trim", "params": {"gain_db": behind_db}}]
    stages = [
        {"id": "t", "kind": "trim", "params": {"gain_db": before_db}},
        {"id": "e", "kind": "equalizer", "params": {"phase": "linear", "bands": [band]}},
        *behind,
        {"id": "l", "kind": "limiter", "params": {"lookahead_ms": 10, "ceiling_db": 0}},
    ]
    return dump_recipe(recipe_of(*stages))


def _rising(seconds: float) -> np.ndarray:
    """A tone that rises by half a dB a second, so that a leveller has to turn it down."""
    return tone(6000, -60, seconds) * 10 ** (np.arange(round(seconds * RATE_HZ)) / RATE_HZ / 40)


def _by_frequency(bench: Bench) -> Iterator[tuple[str, str, str]]:
    """One stage alone; every second setting is heard for a while before it is left again."""
    pin = {"id": "a", "hz": 6000, "range_db": -6, "threshold_db": 0}
    quick = {"threshold_db": -12, "strength": 1, "attack_ms": 1, "release_ms": 5}
    moves: dict[str, Callable[[bool], dict[str, Any]]] = {
        "dynamic_equalizer": lambda there: {"params": {"bands": [{**pin, "gain_db": -6 * there}]}},
        "band_dynamics": lambda there: {
            "params": {"bands": [{"id": f"b{i}", "gain_db": -6 * there} for i in range(4)]}
        },
        "leveller": lambda there: {"params": {"reach_db": 12, "speed_s": 2}, "mix": 1 - there},
        "tamer": lambda there: {"params": {**quick, "max_cut_db": 9 if there else 3}},
    }
    revision = 5000
    for kind, moved in moves.items():
        times = []
        # seconds into the rise, where a leveller is at work from the first move on
        bench.page.evaluate(TIMED_SEEK, 12 * RATE_HZ)
        for number in range(20):
            for there in (False, True):
                revision += 1
                recipe = dump_recipe(recipe_of({"id": "s", "kind": kind, **moved(there)}))
                if there:
                    times.append(bench.page.evaluate(TIMED_CHANGE, [recipe, revision]))
                    continue
                edit = {"type": "edit", "recipe": recipe, "revision": revision}
                bench.page.evaluate("(edit) => window.tinKettle.player.ask(edit)", edit)
                bench.record(RATE_HZ if number else 5 * RATE_HZ)
        limit = "60 ms and a frame (95th percentile)" if kind == "tamer" else "60 ms (95th percentile)"
        yield f"move of a {kind.replace('_', ' ')}", _spread(times), limit


def _open(bench: Bench, song: int, recipe: dict[str, Any]) -> None:
    """Play a song, once nothing else is to be done for it."""
    bench.server.save(song, recipe)
    bench.page.goto(f"{bench.server.url}/songs/{song}")
    bench.page.wait_for_function("window.tinKettle !== undefined")
    bench.tap()
    bench.page.wait_for_function("window.tinKettle.state().connected")
    bench.plain()
    bench.page.evaluate("window.tinKettle.act.setQueue(200)")
    bench.surveyed()
    bench.play()
    bench.record(96000)


def _around_a_long_delay(bench: Bench) -> Iterator[tuple[str, str, str]]:
    revision, level = 1000, 10 ** (-18 / 20)

    def timed(made: Callable[[float], dict[str, Any]], gains: list[float]) -> str:
        nonlocal revision
        times = []
        for gain in gains:
            revision += 1
            goal = level * 10 ** (gain / 20)
            times.append(bench.page.evaluate(TIMED_EDIT, [made(gain), revision, goal]))
        return _spread(times)

    moved = [(-1.0) ** i * (1 + i % 5) for i in range(40)]
    limit = "60 ms (95th percentile), aim 45"
    yield (
        "move before a linear-phase equalizer and a limiter of 10 ms",
        timed(lambda g: _chain(before_db=g), moved),
        limit,
    )
    yield "move inside the equalizer", timed(lambda g: _chain(band_db=g), moved), limit
    yield "move behind it", timed(lambda g: _chain(behind_db=g), moved), limit
    there = [-6.0 * (i % 2) for i in range(24)]
    added = timed(lambda g: _chain(behind_db=g if g else None), there)
    yield "stage added and removed there", added, "100 ms, aim 60"
    seeks = [bench.page.evaluate(TIMED_SEEK, 48000 * (5 + 7 * (i % 5))) for i in range(15)]
    yield "seek to sound", _spread(seeks), "300 ms, aim 100"
    gaps = bench.page.evaluate(DRAGGED, 20)
    yield "a value before it dragged for 20 s: gaps in the sound", str(gaps), ""


def _beside_busy_programs(bench: Bench) -> Iterator[tuple[str, str, str]]:
    """Nine stages, alone and beside one and two programs a core that never rest."""
    cores = os.cpu_count() or 1
    for busy, dragged_goal in ((0, 0), (1, 0), (2, 2)):
        programs = [subprocess.Popen([sys.executable, "-c", BUSY], start_new_session=True) for _ in range(busy * cores)]
        try:
            what = "alone" if not busy else f"beside {busy} busy program{'s' * (busy > 1)} a core"
            bench.page.wait_for_function("window.tinKettle.player.aheadS > 4.5")
            stolen, before = _stolen_s(), bench.state("underruns")
            time.sleep(PLAYED_S)
            share = (_stolen_s() - stolen) / (PLAYED_S * cores)
            played = bench.state("underruns") - before
            yield f"dropouts in {PLAYED_S} s of nine stages, {what}", f"{played} ({share:.0%} taken by the host)", "0"
            dragged = bench.page.evaluate(DRAGGED, DRAGGED_S)
            yield f"dropouts in {DRAGGED_S} s of dragging, {what}", str(dragged), str(dragged_goal)
        finally:
            for program in programs:
                program.kill()
                program.wait()


def _stolen_s() -> float:
    """Time that the machine's host took from it since its start, in seconds."""
    fields = Path("/proc/stat").read_text().splitlines()[0].split()
    return int(fields[8]) / os.sysconf("SC_CLK_TCK")


def _import(browser: object, server: Server, folder: Path) -> tuple[str, str, str]:
    path = write_wav(folder / "Three minutes.wav", music(180.0) * 0.5)
    bench = Bench(browser, server)  # type: ignore[arg-type]
    bench.open(tapped=False)
    began = time.monotonic()
    bench.page.get_by_label("Bring a file", exact=True).set_input_files(str(path))
    with bench.page.expect_response(lambda answer: "/waveform" in answer.url, timeout=60000):
        pass
    took = time.monotonic() - began
    bench.close()
    assert RATE_HZ == 48000
    return "3-minute WAV from drop to visible waveform", f"{took:.1f} s", "3 s, aim 1"
