"""Blind tests: the order of the rounds, and what their result is worth."""

from __future__ import annotations

import random
from math import comb
from typing import Literal

FEWEST, MOST = 5, 20
Kind = Literal["which is X", "which is better"]
SURE = 0.05


def blind_order(rounds: int, seed: int | None = None) -> list[int]:
    """Which of the two is X (or comes first) in each round: 0 or 1, by chance."""
    draw = random.Random(seed) if seed is not None else random.SystemRandom()
    return [draw.randrange(2) for _ in range(rounds)]


def chance_of(hits: int, rounds: int) -> float:
    """Probability of at least so many hits by guessing: the upper tail of a binomial distribution with p = ½."""
    return float(sum(comb(rounds, k) for k in range(hits, rounds + 1)) / 2**rounds)


def judge(kind: Kind, hits: int, rounds: int, first: str, second: str) -> str:
    """The result in a sentence.

    Args:
        hits: rounds in which X was told rightly, or in which ``first`` was preferred.
    """
    if kind == "which is X":
        chance = chance_of(hits, rounds)
        worth = "you hear the difference" if chance < SURE else "this may be chance"
        return f"{hits} of {rounds} right; guessing would do as well {chance:.1%} of the time: {worth}."
    more, liked = (hits, first) if hits * 2 >= rounds else (rounds - hits, second)
    chance = min(1.0, 2.0 * chance_of(more, rounds))
    worth = f"you prefer {liked}" if chance < SURE else "no clear preference"
    by_chance = f"without a preference that comes up {chance:.1%} of the time"
    return f"{liked} preferred in {more} of {rounds}; {by_chance}: {worth}."
