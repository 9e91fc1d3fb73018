"""Chains to begin with, and those that the user keeps; the history over the web."""

import numpy as np

from tests.conftest import RATE_HZ, music, recipe_of, tone
from tests.web.conftest import until
from tin_kettle.core.engine.offline import render
from tin_kettle.core.engine.source import ArraySource
from tin_kettle.core.recipe.reading import dump_recipe
from tin_kettle.core.recipe.templates import USUAL, usual_order

TRIM = recipe_of({"id": "t", "kind": "trim", "params": {"gain_db": -3}})


def test_the_usual_order_changes_nothing_until_somebody_moves_something():
    recipe = usual_order()
    assert tuple(stage.kind for stage in recipe.master) == USUAL
    x = music(2.0) * 0.5 + tone(30, -30, 2.0)
    y = np.concatenate(list(render(recipe, {"mix": ArraySource(x, RATE_HZ)})), axis=1)
    np.testing.assert_allclose(y, x, atol=1e-9)


def test_chains_are_kept_listed_replaced_and_removed(client, library):
    usual = client.get("/api/chains").get_json()
    assert [(one["name"], one["own"]) for one in usual] == [("The usual order", False)]
    assert usual[0]["says"] == "filters, equalizer, bus compressor, limiter"
    for gain in (-3, -4):
        document = dump_recipe(recipe_of({"id": "t", "kind": "trim", "params": {"gain_db": gain}}))
        kept = client.post("/api/chains", json={"name": "My album", "recipe": document}).get_json()
        assert kept[1]["recipe"]["master"][0]["params"]["gain_db"] == gain
    assert [path.name for path in library.folder("chains").iterdir()] == ["My album.kettle.json"]
    refused = client.post("/api/chains", json={"name": "../..", "recipe": dump_recipe(TRIM)})
    assert refused.status_code == 404
    assert "with a letter or figure" in refused.get_json()["problem"]
    assert client.post("/api/chains", json={"name": "x", "recipe": {"format": "?"}}).status_code == 400
    assert len(client.delete("/api/chains/My album").get_json()) == 1


def test_an_edit_is_heard_gone_back_to_and_kept_as_a_version(client, song, put):
    put(TRIM)
    put(recipe_of())
    url = f"/api/songs/{song}"
    history = client.get(url + "/history").get_json()
    edits = history["edits"]
    assert history["more"] is False
    assert client.get(f"{url}/history?before={edits[1]['id']}").get_json()["edits"] == edits[2:]
    assert [edit["label"] for edit in edits] == ["test", "test", "as received"]
    trimmed = edits[1]["id"]
    gains = until(
        lambda: client.get(f"{url}/survey/panel?other=edit:{trimmed}&from=0&to=48000").get_json(),
        lambda panel: panel["state"] == "done",
    )
    apart = gains["after"]["true_peak_dbtp"] - gains["before"]["true_peak_dbtp"]
    assert abs(apart - 3) < 0.01
    version = client.post(url + "/versions", json={"name": "Quieter", "edit": trimmed}).get_json()
    assert version["recipe"]["master"][0]["params"]["gain_db"] == -3
    back = client.post(f"{url}/history/{trimmed}").get_json()
    assert (back["label"], back["recipe"]) == ("Back to: test", dump_recipe(TRIM))
    for wrong, code, says in ((99999, 404, "choose one from the list"), ("x", 400, "edit: 'x' is not allowed")):
        refused = client.post(url + "/versions", json={"name": "No", "edit": wrong})
        assert (refused.status_code, says in refused.get_json()["problem"]) == (code, True)


def test_what_another_window_was_quicker_than_is_kept_beside_it(client, song):
    url = f"/api/songs/{song}"
    base = client.get(url).get_json()["revision"]["id"]
    client.put(f"{url}/recipe", json={"base": base, "label": "theirs", "recipe": dump_recipe(TRIM)})
    mine = dump_recipe(recipe_of({"id": "t", "kind": "trim", "params": {"gain_db": 4}}))
    assert client.put(f"{url}/recipe", json={"base": base, "label": "mine", "recipe": mine}).status_code == 409
    version = client.post(f"{url}/versions", json={"name": "Mine", "recipe": mine}).get_json()
    assert version["recipe"] == mine
    assert client.get(url).get_json()["revision"]["recipe"] == dump_recipe(TRIM)
    assert client.post(f"{url}/versions", json={"name": "Mine", "recipe": {}}).status_code == 400


def test_a_song_has_an_address_of_its_own(client, song):
    with client.get(f"/songs/{song}") as there, client.get("/") as start:
        assert there.data == start.data
        assert b"Tin Kettle" in there.data
