"""Sections proposed from the music: where level and tone change for longer than a phrase.

Novelty of a self-similarity matrix (Foote 2000, *Automatic audio segmentation using a measure of audio novelty*), on
levels in thirds of an octave every second.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from tin_kettle.core.survey.survey import Survey

STEP_S = 1.0
REACH_S = 8
SHORTEST_S = 6.0
STANDS_OUT = 0.35
"""A boundary's novelty, re the strongest of the song."""


def propose_sections(survey: Survey) -> list[tuple[float, float]]:
    """(start, end) in seconds, from nought to the end of the song without gaps."""
    seconds = survey.seconds
    features = _features(survey)
    novelty = _novelty(features)
    edges = [0.0]
    for at in np.flatnonzero(novelty > STANDS_OUT * novelty.max(initial=0.0)):
        around = novelty[max(0, at - 4) : at + 5]
        if novelty[at] == around.max() and at * STEP_S - edges[-1] >= SHORTEST_S:
            edges.append(float(at * STEP_S))
    if len(edges) > 1 and seconds - edges[-1] < SHORTEST_S:
        edges.pop()
    return list(zip(edges, [*edges[1:], seconds], strict=True))


def _features(survey: Survey) -> NDArray[np.float64]:
    """(seconds, thirds), dB of mid, no lower than 50 dB below the loudest."""
    rows = survey.tonal.rows[:, 0, 24:].astype(np.float64)
    thirds = rows[:, : rows.shape[1] // 4 * 4].reshape(len(rows), -1, 4)
    levels = 10.0 * np.log10(np.mean(10.0 ** (thirds / 10.0), axis=2))
    count = max(1, int(survey.seconds / STEP_S))
    at = (np.arange(count) * STEP_S / survey.tonal.hop_s).astype(np.intp)
    steps = np.stack([levels[a : a + max(1, round(STEP_S / survey.tonal.hop_s))].mean(axis=0) for a in at])
    return np.asarray(np.maximum(steps, steps.max() - 50.0))


def _novelty(features: NDArray[np.float64]) -> NDArray[np.float64]:
    """How much what follows differs from what came before, at every step."""
    count = len(features)
    distance = np.sqrt(np.mean((features[:, None] - features[None]) ** 2, axis=2))
    novelty = np.zeros(count)
    for at in range(2, count - 2):
        reach = min(REACH_S, at, count - at)
        before, after = slice(at - reach, at), slice(at, at + reach)
        within = 0.5 * (distance[before, before].mean() + distance[after, after].mean())
        novelty[at] = max(0.0, distance[before, after].mean() - within)
    return novelty
