"""A server without a socket: Flask's own client on a library with one song."""

import time

import pytest

from tests.conftest import PATIENCE_S, music, write_wav
from tin_kettle.core.recipe.reading import dump_recipe
from tin_kettle.web.app import create_app


@pytest.fixture
def app(library):
    return create_app(library)


@pytest.fixture
def client(app):
    return app.test_client()


@pytest.fixture
def song(client, tmp_path):
    path = write_wav(tmp_path / "in.wav", music(3.0) * 0.5)
    source = client.post("/api/sources?name=Low%20Bridge.wav", data=path.read_bytes()).get_json()
    return client.post("/api/songs", json={"title": "Low Bridge", "sha256": source["sha256"]}).get_json()["id"]


@pytest.fixture
def put(client, song):
    """Save a recipe as the song's next revision."""

    def save(recipe):
        base = client.get(f"/api/songs/{song}").get_json()["revision"]["id"]
        body = {"base": base, "label": "test", "recipe": dump_recipe(recipe)}
        return client.put(f"/api/songs/{song}/recipe", json=body).get_json()

    return save


def until(ask, done):
    """Ask until the answer will do."""
    end = time.monotonic() + PATIENCE_S
    while time.monotonic() < end:
        answer = ask()
        if done(answer):
            return answer
        time.sleep(0.05)
    raise AssertionError(f"still {answer}")
