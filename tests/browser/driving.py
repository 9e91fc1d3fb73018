"""Driving the real bench: a server of its own, Debian's Chromium, and a tap on the sound that leaves the player."""

from __future__ import annotations

import base64
import json
import re
import socket
import subprocess
import sys
import time
import urllib.error
import urllib.request
from collections.abc import Callable, Iterator
from contextlib import contextmanager, suppress
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray
from playwright.sync_api import Browser, ViewportSize, sync_playwright

ARGUMENTS = [
    "--disable-dev-shm-usage",
    "--force-color-profile=srgb",
    "--font-render-hinting=none",
    "--hide-scrollbars",
    "--autoplay-policy=no-user-gesture-required",
    "--no-sandbox",
    "--disable-quic",
    "--no-first-run",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
]
RETRIES = 20
PATIENCE_MS = 120_000
"""After so long what is waited for never comes: a busy machine takes its time."""
FOUND = re.compile(r"^Findings \d+$")
"""What the song map says once the survey is there."""
REPORT_MS = 60
# told rarely: a page that is told of every 128 frames is busy with it
TAP = """
const FRAMES = 1024;
class Tap extends AudioWorkletProcessor {
  done = FRAMES;
  process([input], [output]) {
    if (!input.length) return true;
    input.forEach((row, i) => output[i].set(row));
    if (this.done === FRAMES) {
      this.told = { frame: currentFrame, left: new Float32Array(FRAMES), right: new Float32Array(FRAMES) };
      this.done = 0;
    }
    this.told.left.set(input[0], this.done);
    this.told.right.set(input[1] ?? input[0], this.done);
    this.done += input[0].length;
    if (this.done === FRAMES) this.port.postMessage(this.told);
    return true;
  }
}
registerProcessor("tap", Tap);
"""
INSERT_TAP = """
async (source) => {
  const { player } = window.tinKettle;
  while (!player.node) await new Promise((next) => setTimeout(next, 20));
  await player.context.audioWorklet.addModule(URL.createObjectURL(new Blob([source], { type: "text/javascript" })));
  const tap = new AudioWorkletNode(player.context, "tap", { outputChannelCount: [2] });
  player.node.disconnect();
  player.node.connect(tap).connect(player.context.destination);
  window.tapped = [];
  tap.port.onmessage = ({ data }) => window.tapped?.push(data);
}
"""
COLLECT = """
async (frames) => {
  const { context, rateHz } = window.tinKettle.player;
  const from = context.currentTime * rateHz;
  window.tapped = [];
  let heard = [];
  while (heard.reduce((sum, { left }) => sum + left.length, 0) < frames) {
    await new Promise((next) => setTimeout(next, 10));
    heard = window.tapped.filter(({ frame }) => frame >= from);
  }
  window.tapped = [];
  const rows = [...heard.map(({ left }) => left), ...heard.map(({ right }) => right)];
  const whole = new Float32Array(rows.flatMap((row) => [...row]));
  let text = "";
  const bytes = new Uint8Array(whole.buffer);
  for (let i = 0; i < bytes.length; i += 32768) text += String.fromCharCode(...bytes.subarray(i, i + 32768));
  return btoa(text);
}
"""


def expect_soon(read: Callable[[], object], wanted: object, seconds: float = PATIENCE_MS / 1000) -> None:
    """Read until it is as wanted: what the page shows already may still be on its way to the server."""
    end = time.monotonic() + seconds
    while (found := read()) != wanted and time.monotonic() < end:
        time.sleep(0.05)
    assert found == wanted


def free_port() -> int:
    """A port that nobody listens on."""
    with socket.socket() as trial:
        trial.bind(("127.0.0.1", 0))
        return int(trial.getsockname()[1])


class Server:
    """A ``tin-kettle`` server in a process of its own."""

    def __init__(self, home: Path, command: str = "serve", port: int | None = None) -> None:
        self.home, self._command = home, command
        self.port = port or free_port()
        self.url = f"http://127.0.0.1:{self.port}"
        self.start()

    def start(self) -> None:
        line = [sys.executable, "-m", "tin_kettle", self._command, "--port", str(self.port), "--home", str(self.home)]
        self._process = subprocess.Popen(line, stdout=subprocess.DEVNULL)
        end = time.monotonic() + 120
        while time.monotonic() < end:
            try:
                urllib.request.urlopen(self.url + "/api/songs", timeout=5).close()
                return
            except (urllib.error.URLError, ConnectionError, TimeoutError):
                time.sleep(0.05)
        raise TimeoutError(f"no server at {self.url}")

    @property
    def pid(self) -> int:
        return self._process.pid

    def stop(self) -> None:
        self._process.terminate()
        self._process.wait(timeout=20)

    def kill(self) -> None:
        """End it without a chance to tidy up."""
        self._process.kill()
        self._process.wait(timeout=20)
        # what answers for it sees only now that it is gone, and would still keep what is asked
        end = time.monotonic() + 20
        while time.monotonic() < end:
            with socket.socket() as knock:
                if knock.connect_ex(("127.0.0.1", self.port)):
                    return
            time.sleep(0.05)
        raise TimeoutError(f"somebody still answers at {self.url}")

    def ask(self, path: str, body: bytes | dict[str, Any] | None = None, method: str | None = None) -> Any:
        """A request to the API; the decoded answer."""
        data = json.dumps(body).encode() if isinstance(body, dict) else body
        kind = "application/json" if isinstance(body, dict) else "application/octet-stream"
        request = urllib.request.Request(self.url + path, data, {"Content-Type": kind}, method=method)
        with urllib.request.urlopen(request, timeout=60) as answer:
            return json.load(answer)

    def add_song(self, path: Path, title: str) -> int:
        """Bring a sound file into the library as a song; returns its number."""
        source = self.ask(f"/api/sources?name={path.name}", path.read_bytes())
        return int(self.ask("/api/songs", {"title": title, "sha256": source["sha256"]})["id"])

    def save(self, song: int, document: dict[str, Any]) -> None:
        """Make a recipe the song's present state."""
        base = self.ask(f"/api/songs/{song}")["revision"]["id"]
        self.ask(f"/api/songs/{song}/recipe", {"base": base, "label": "test", "recipe": document}, "PUT")


@contextmanager
def chromium() -> Iterator[Browser]:
    """Debian's Chromium without a window; it plays to a device that is not there, in real time."""
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=ARGUMENTS)
        yield browser
        browser.close()


class Bench:
    """One page with a song on the bench; the tap is a script that the bench's own policy would refuse."""

    def __init__(self, browser: Browser, server: Server, bypass_csp: bool = True, **more: Any) -> None:
        viewport: ViewportSize = {"width": 1280, "height": 800}
        self._context = browser.new_context(viewport=viewport, bypass_csp=bypass_csp, **more)
        page = self._context.new_page()
        page.set_default_timeout(PATIENCE_MS)
        self.page, self.server = page, server
        self.errors: list[str] = []
        page.on("pageerror", lambda error: self.errors.append(str(error)))

    def close(self) -> None:
        self._context.close()

    def stop_survey(self) -> None:
        """Nobody waits any more for the survey of the song that is open, and the next song's would have to."""
        song = self.page.evaluate("window.tinKettle?.state().song?.id ?? null")
        if song is not None:
            with suppress(urllib.error.URLError, ConnectionError):
                self.server.ask(f"/api/songs/{song}/survey/stop", b"", "POST")

    def open(self, song: int | None = None, tapped: bool = True) -> None:
        """Open a song, or what was open last; with a tap on the sound where it is asked for."""
        if song is not None:
            self.page.add_init_script(f"if (!sessionStorage.opened) localStorage.setItem('song', '{song}')")
            self.page.add_init_script("sessionStorage.opened = 'yes'")
        self.page.goto(self.server.url)
        self.page.get_by_label("Song map").wait_for()
        if tapped:
            self.tap()
            self.page.wait_for_function("window.tinKettle.state().connected")

    def tap(self) -> None:
        """Listen in behind the player of the song that is open now."""
        self.page.evaluate(INSERT_TAP, TAP)

    def state(self, path: str) -> Any:
        """A value of the bench's state, such as ``recipe.master[0].on``."""
        return self.page.evaluate(f"window.tinKettle.state().{path}")

    def plain(self) -> None:
        """Monitor at full level, nothing matched, the longest queue: samples arrive as they are, and without gaps."""
        self.page.evaluate("window.tinKettle.act.setMonitor(0); window.tinKettle.act.setMatched(false)")
        self.page.evaluate("window.tinKettle.act.setQueue(400)")

    def play(self) -> None:
        """Press Space and wait until a fifth of a second was heard: the first sound may have to wait for kernels."""
        begun = self.page.evaluate("window.tinKettle.player.report.position")
        self.page.keyboard.press("Space")
        self.page.wait_for_function(
            "(begun) => { const { starved, position } = window.tinKettle.player.report;"
            " return window.tinKettle.state().playing && !starved && position > begun + 9600; }",
            arg=begun,
        )

    def record(self, frames: int = 9600) -> NDArray[np.float64]:
        """What leaves the player from now on, (2, frames and a little more)."""
        for _ in range(RETRIES):
            self.page.wait_for_function("!window.tinKettle.player.report.starved || !window.tinKettle.state().playing")
            gaps = self.state("underruns")
            raw = base64.b64decode(self.page.evaluate(COLLECT, frames))
            # the player tells of a gap a moment after it
            self.page.wait_for_timeout(REPORT_MS)
            if self.state("underruns") == gaps:
                break
            # a busy machine left a gap: what was recorded says nothing about the bench
        return np.frombuffer(raw, dtype="<f4").reshape(2, -1).astype(np.float64)

    def saved(self) -> None:
        """Wait until the last edit is kept."""
        self.page.wait_for_function("window.tinKettle.state().saved === 'saved'")

    def surveyed(self) -> None:
        """Wait until the survey of what was saved last is there."""
        self.saved()
        self.page.get_by_text(FOUND).first.wait_for()
