"""One server and one Chromium for all browser tests; a page of its own for each."""

from __future__ import annotations

import numpy as np
import pytest
from playwright.sync_api import expect

from tests.browser.driving import PATIENCE_MS, Bench, Server, chromium
from tests.conftest import RATE_HZ, music, tone, write_wav


@pytest.fixture(scope="session")
def server(tmp_path_factory):
    made = Server(tmp_path_factory.mktemp("browser"))
    yield made
    made.stop()


@pytest.fixture(scope="session")
def browser():
    expect.set_options(timeout=PATIENCE_MS)
    with chromium() as opened:
        yield opened


@pytest.fixture
def bench(browser, server):
    driven = Bench(browser, server)
    yield driven
    driven.stop_survey()
    driven.close()
    assert driven.errors == []


@pytest.fixture
def add_song(server, tmp_path):
    """Samples, (2, frames), become a song of the library."""

    def add(samples, title="Test", rate_hz=RATE_HZ, master=None):
        path = write_wav(tmp_path / f"{title}.wav", samples, rate_hz, subtype="DOUBLE")
        song = server.add_song(path, title)
        if master is not None:
            stages = [{"id": f"s{i}", **stage} for i, stage in enumerate(master)]
            server.save(song, {"format": "tin-kettle-recipe", "version": 1, "master": stages})
        return song

    return add


@pytest.fixture
def tone_song(add_song):
    return add_song(tone(6000, -12, 20), "Tone", master=[{"id": "t", "kind": "trim"}])


@pytest.fixture
def music_song(add_song):
    master = [{"id": "c", "kind": "compressor"}, {"id": "l", "kind": "limiter", "params": {"gain_db": 6}}]
    return add_song(music(20.0) * 0.5, "Music", master=master)


@pytest.fixture
def ramp_song(add_song):
    """Every sample says where it is: frame / 2^21, exact in a float."""
    return add_song(np.stack([np.arange(RATE_HZ * 20) / 2.0**21] * 2), "Ramp")
