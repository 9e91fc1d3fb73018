"""Somebody who listens and changes one thing at a time; the bench sends several wishes together."""

from dataclasses import replace

from tin_kettle.core.engine.graph.stage_instance import Tap
from tin_kettle.core.engine.live.audition import Audition
from tin_kettle.core.engine.live.render_path import Piece
from tin_kettle.core.recipe.model import Recipe
from tin_kettle.core.stages.processor import Processor


class Listener(Audition):
    def change(self, recipe: Recipe, revision: int, heard: int) -> None:
        """Let *now* become another recipe."""
        self.want(replace(self.listening, recipe=recipe, revision=revision), heard)

    def compare(self, name: str, piece: Piece | None, heard: int) -> None:
        """Put something else beside *now*: a piece, or the song as received."""
        self.want(self.comparing(self.listening, name, piece), heard)

    def tap(self, stage_id: str | None, tap: Tap, heard: int) -> None:
        """Hear the result, or what a stage removes or listens to."""
        self.want(replace(self.listening, tap=(stage_id, tap)), heard)

    def listen(self, now: Processor, other: Processor, silent: frozenset[str], heard: int) -> None:
        """Hear both through other ears, and some buses or branches not at all."""
        self.want(replace(self.listening, ears=(now, other), silent=silent), heard)
