"""What divides a sound into the parts that a split's branches get."""

from __future__ import annotations

from tin_kettle.core.dsp.block import Block
from tin_kettle.core.stages.processor import Processor


class Divider(Processor):
    """A processor with several outputs, all ``delay`` frames late."""

    def divide(self, block: Block) -> list[Block]:
        """The next (2, frames) as one part a branch; left and right stay where they are, so that all sum to it."""
        raise NotImplementedError
