"""Blind tests: the order of the rounds, the verdict, those that were held."""

from __future__ import annotations

from flask import Blueprint, Response, jsonify

from tin_kettle.core.errors import LibraryError
from tin_kettle.core.listen import blind_test
from tin_kettle.store import comparisons as kept
from tin_kettle.store.songs import get_song
from tin_kettle.web.context import context
from tin_kettle.web.request_models import Number, RequestModel, takes

blueprint = Blueprint("blind", __name__, url_prefix="/api")


class OrderRequest(RequestModel):
    rounds: Number


class TestRequest(RequestModel):
    """A test that was held."""

    kind: blind_test.Kind
    first: str = ""
    second: str = ""
    rounds: Number
    hits: Number


@blueprint.post("/songs/<int:song_id>/blind/order")
@takes(OrderRequest)
def blind_order(song_id: int, given: OrderRequest) -> Response:
    """The order of a test of so many rounds."""
    get_song(context().library, song_id)
    rounds = given.rounds
    if not blind_test.FEWEST <= rounds <= blind_test.MOST:
        raise LibraryError(f"{rounds} rounds are not allowed; {blind_test.FEWEST} to {blind_test.MOST} are")
    return jsonify(order=blind_test.blind_order(rounds))


@blueprint.post("/songs/<int:song_id>/blind")
@takes(TestRequest)
def blind_result(song_id: int, given: TestRequest) -> Response:
    """Judge and keep a test."""
    get_song(context().library, song_id)
    rounds, hits = given.rounds, given.hits
    if not 0 <= hits <= rounds <= blind_test.MOST:
        raise LibraryError(f"{hits} of {rounds} is no result; start another")
    names = {"first": given.first[:80], "second": given.second[:80]}
    says = blind_test.judge(given.kind, hits, rounds, names["first"], names["second"])
    test = {"kind": given.kind, "rounds": rounds, "hits": hits, "says": says, **names}
    kept.add_blind_test(context().library, song_id, test)
    return jsonify(test)


@blueprint.get("/songs/<int:song_id>/blind")
def blind_tests(song_id: int) -> Response:
    return jsonify(kept.list_blind_tests(context().library, song_id))
