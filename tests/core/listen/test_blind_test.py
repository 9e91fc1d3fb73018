"""What a blind test's result is worth, against figures from tables of the binomial distribution."""

import pytest

from tin_kettle.core.listen.blind_test import blind_order, chance_of, judge


@pytest.mark.parametrize(("hits", "rounds", "chance"), [(8, 10, 0.0547), (9, 10, 0.0107), (12, 16, 0.0384), (0, 5, 1)])
def test_chances_are_those_of_the_tables(hits, rounds, chance):
    assert chance_of(hits, rounds) == pytest.approx(chance, abs=5e-5)


def test_verdicts_are_sentences():
    assert judge("which is X", 9, 10, "A", "B") == (
        "9 of 10 right; guessing would do as well 1.1% of the time: you hear the difference."
    )
    assert "this may be chance" in judge("which is X", 6, 10, "A", "B")
    assert judge("which is better", 2, 20, "A", "B").startswith("B preferred in 18 of 20")
    assert "no clear preference" in judge("which is better", 6, 10, "A", "B")


def test_orders_vary():
    assert {tuple(blind_order(8, seed)) for seed in range(20)} != {tuple(blind_order(8, 0))}
    assert set(blind_order(20)) <= {0, 1}
