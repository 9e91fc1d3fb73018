"""The server's description of itself, and what a stranger who goes by it meets: refusals in words, no faults."""

import json

import pytest
import schemathesis
from hypothesis import HealthCheck, given, settings
from hypothesis.errors import Unsatisfiable
from schemathesis import GenerationMode
from schemathesis.checks import not_a_server_error

from tests.attack.routes import stop_all
from tests.conftest import music, write_wav
from tin_kettle.store.database import Library
from tin_kettle.web.app import create_app
from tin_kettle.web.openapi import describe_server
from tin_kettle.web.request_models import argument

TRIED = 6
"""Calls of every operation, beside those that break its description on purpose."""


@pytest.fixture(scope="module")
def app(tmp_path_factory):
    folder = tmp_path_factory.mktemp("described")
    app = create_app(Library(folder / "home"))
    app.testing = False
    client = app.test_client()
    sound = write_wav(folder / "a.wav", music(1.0) * 0.5).read_bytes()
    source = client.post("/api/sources?name=a.wav", data=sound).get_json()
    client.post("/api/songs", json={"title": "Low Bridge", "sha256": source["sha256"]})
    yield app
    stop_all(app)


@pytest.mark.parametrize("mode", [GenerationMode.POSITIVE, GenerationMode.NEGATIVE])
def test_whoever_goes_by_the_description_or_breaks_it_meets_no_fault(app, mode):
    described = schemathesis.openapi.from_wsgi("/api/openapi.json", app)
    answered = set()
    for operation in described.get_all_operations():
        try:
            calls = operation.ok().as_strategy(generation_mode=mode)

            @given(case=calls)
            @settings(max_examples=TRIED, deadline=None, database=None, suppress_health_check=list(HealthCheck))
            def called(case):
                answer = case.call()
                case.validate_response(answer, checks=[not_a_server_error])
                answered.add(answer.status_code)
                if answer.status_code >= 400:
                    assert json.loads(answer.content)["problem"]

            called()
        except Unsatisfiable:
            # nothing of it can be wrong
            assert mode is GenerationMode.NEGATIVE
    assert answered >= ({200, 404} if mode is GenerationMode.POSITIVE else {400})


def test_every_address_is_described_with_what_it_takes(app):
    found = describe_server(app)
    rules = [rule for rule in app.url_map.iter_rules() if rule.rule.startswith("/api") and not rule.websocket]
    assert sum(len(methods) for methods in found["paths"].values()) == len(rules)
    add = found["paths"]["/api/songs/{song_id}/notes"]["post"]
    assert add["requestBody"]["content"]["application/json"]["schema"] == {"$ref": "#/components/schemas/NoteRequest"}
    assert found["components"]["schemas"]["NoteRequest"]["properties"]["text"]["type"] == "string"
    tile = found["paths"]["/api/songs/{song_id}/waveform"]["get"]
    assert [part["name"] for part in tile["parameters"]] == ["song_id", "from", "to", "columns", "bus"]
    upload = found["paths"]["/api/sources"]["post"]
    assert list(upload["requestBody"]["content"]) == ["application/octet-stream"]


def test_a_view_reads_only_what_it_says_it_reads(app):
    # /api/songs names no argument, so that reading one is a mistake of ours
    with app.test_request_context("/api/songs?bus=x"), pytest.raises(AssertionError, match="bus"):
        argument("bus")
