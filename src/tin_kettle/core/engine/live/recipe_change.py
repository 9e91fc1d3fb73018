"""Going over to another recipe where long delays lie behind what changes: rewound further, and replayed in silence.

A change in front of a long delay would be heard when that has passed. Instead a state from as long ago is taken up,
changed and run up to the ear, where the sound fades over to it.
"""

from __future__ import annotations

import time
from collections.abc import Sequence
from dataclasses import dataclass

from tin_kettle.core.dsp.timeline import Timeline
from tin_kettle.core.engine.crossfade import fade_frames
from tin_kettle.core.engine.graph.graph import Graph
from tin_kettle.core.engine.graph.stage_instance import Tap
from tin_kettle.core.engine.live.render_path import Piece, RenderPath, Take, metered
from tin_kettle.core.recipe.model import Recipe


@dataclass(frozen=True)
class Setting:
    """What a render path is to sound like."""

    recipe: Recipe
    tap: tuple[str | None, Tap]
    silent: frozenset[str]

    def is_of(self, render_path: RenderPath) -> bool:
        """Whether a render path sounds like this already."""
        graph = render_path.graph
        return render_path.piece.recipe == self.recipe and graph.silent == self.silent and graph.tapped == self.tap


def is_near(render_path: RenderPath, setting: Setting) -> bool:
    """Whether nothing longer than a crossfade lies behind what changes, so that it may change where it stands."""
    if render_path.graph.tapped != setting.tap:
        return False
    reach = render_path.graph.reach(setting.recipe, setting.silent)
    return reach is not None and reach <= fade_frames(render_path.rate_hz)


class _Successor:
    """The graph that a render path is to go on with, built at most once."""

    def __init__(self, setting: Setting, rate_hz: int) -> None:
        self._setting, self._rate_hz = setting, rate_hz
        self._built: Graph | None = None

    def _fresh(self) -> Graph:
        self._built = self._built or metered(self._setting.recipe, self._rate_hz)
        return self._built

    def needs(self, render_path: RenderPath, position: int) -> tuple[int, int]:
        """For a render path that gives ``position`` next: where it would begin, and from where it would be right."""
        graph, tap = render_path.graph, self._setting.tap
        frames = graph.reach(self._setting.recipe, self._setting.silent)
        if frames is None:
            graph = self._fresh()
            frames, position = graph.news(render_path.graph), position + render_path.graph.delay - graph.delay
        if render_path.graph.tapped != tap or graph is self._built:
            frames = max(frames, graph.tap_delay(tap[0]))
        return position, position + frames + fade_frames(self._rate_hz)

    def graph_from(self, render_path: RenderPath) -> Graph:
        """It, going on from what a render path has heard."""
        if render_path.graph.reach(self._setting.recipe, self._setting.silent) is None:
            graph = self._fresh()
            graph.adopt(render_path.graph)
        else:
            graph = render_path.graph.fork()
            graph.change(self._setting.recipe)
        graph.silence(self._setting.silent)
        graph.tap(*self._setting.tap)
        return graph


def renew(
    render_path: RenderPath, earlier: Sequence[tuple[int, RenderPath]], setting: Setting, song: Timeline, position: int
) -> float:
    """Let a render path that gives ``position`` next fade over to another setting there.

    Args:
        earlier: what it was before, with the stream frames that were next, oldest first; the last is itself.

    Returns:
        Computing time in seconds that a frame of the replay took; 0 where there was none.
    """
    if is_near(render_path, setting):
        render_path.change(setting.recipe, setting.silent)
        return 0.0
    successor = _Successor(setting, render_path.rate_hz)
    index = len(earlier) - 1
    start, right = successor.needs(earlier[index][1], earlier[index][0])
    while right > position and index > 0:
        # as far back again as it would come too late; what was there then may be another graph
        listening = earlier[index][0] - (right - position)
        index = max((i for i in range(index) if earlier[i][0] <= listening), default=0)
        start, right = successor.needs(earlier[index][1], earlier[index][0])
    graph = successor.graph_from(earlier[index][1])
    if right > position:
        # nothing kept is old enough: hear again what all of it has to have heard
        beyond = max((node.instance.processor.warm_frames for node in graph.nodes()), default=0)
        start -= right - position + graph.delay + beyond
    piece = Piece(setting.recipe, render_path.piece.sources, render_path.piece.timeline)
    made = earlier[index][1].going_on(Take(piece, graph))
    began = time.thread_time()
    made.advance(song, start, position)
    render_path.becomes(made)
    return (time.thread_time() - began) / max(position - start, 1)
