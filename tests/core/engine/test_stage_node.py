"""A stage's place in a chain: changes that come while one fades."""

import numpy as np
import pytest

from tests.conftest import RATE_HZ, goes_to, recipe_of, run, tone
from tin_kettle.core.engine.graph.graph import Graph


def with_gain(*gains):
    return recipe_of(*({"id": f"t{i}", "kind": "trim", "params": {"gain_db": gain}} for i, gain in enumerate(gains)))


def test_a_change_that_comes_during_a_fade_is_made_after_it():
    graph = Graph(with_gain(0), RATE_HZ)
    x = tone(1000, -20, 0.5)
    run(graph, x[:, :1000])
    for gain in (3, -6, 9):
        assert goes_to(graph, with_gain(gain))
        run(graph, x[:, 1000:1100])
    out = run(graph, x[:, 1100:6000])
    assert 20 * np.log10(np.abs(out[:, 2000:]).max()) == pytest.approx(-11, abs=0.01)


def test_a_change_back_during_a_fade_ends_where_it_began():
    graph = Graph(with_gain(0), RATE_HZ)
    x = tone(1000, -20, 0.5)
    graph.change(with_gain(6))
    run(graph, x[:, :100])
    graph.change(with_gain(-9))
    graph.change(with_gain(6))
    out = run(graph, x[:, 100:6000])
    assert 20 * np.log10(np.abs(out[:, 2000:]).max()) == pytest.approx(-14, abs=0.01)
