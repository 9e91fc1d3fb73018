"""Blind tests: the order of the rounds, the verdict, those that were held."""

from __future__ import annotations

from typing import cast, get_args

from flask import Blueprint, Response, jsonify

from tin_kettle.core.errors import LibraryError
from tin_kettle.core.listen import blind
from tin_kettle.store import comparing as kept
from tin_kettle.store.songs import get_song
from tin_kettle.web.context import body, context

blueprint = Blueprint("blind", __name__, url_prefix="/api")


@blueprint.post("/songs/<int:song_id>/blind/order")
def blind_order(song_id: int) -> Response:
    """The order of a test of ``{"rounds"}`` rounds."""
    get_song(context().library, song_id)
    rounds = body().get("rounds")
    if not isinstance(rounds, int) or not blind.FEWEST <= rounds <= blind.MOST:
        raise LibraryError(f"{rounds} rounds are not allowed; {blind.FEWEST} to {blind.MOST} are")
    return jsonify(order=blind.blind_order(rounds))


@blueprint.post("/songs/<int:song_id>/blind")
def blind_result(song_id: int) -> Response:
    """Judge and keep a test: ``{"kind", "first", "second", "rounds", "hits"}``."""
    given = body()
    kind, rounds, hits = given.get("kind"), given.get("rounds"), given.get("hits")
    if kind not in get_args(blind.Kind) or not isinstance(rounds, int) or not isinstance(hits, int):
        raise LibraryError("the test cannot be judged; start another")
    if not 0 <= hits <= rounds <= blind.MOST:
        raise LibraryError(f"{hits} of {rounds} is no result; start another")
    names = {key: str(given.get(key, ""))[:80] for key in ("first", "second")}
    says = blind.judge(cast(blind.Kind, kind), hits, rounds, names["first"], names["second"])
    test = {"kind": kind, "rounds": rounds, "hits": hits, "says": says, **names}
    kept.add_blind_test(context().library, song_id, test)
    return jsonify(test)


@blueprint.get("/songs/<int:song_id>/blind")
def blind_tests(song_id: int) -> Response:
    return jsonify(kept.list_blind_tests(context().library, song_id))
