"""The stage that CONTRIBUTING.md builds does what it says; every stage's controls stand in a column or have a place."""

import re
from pathlib import Path

import numpy as np
import pytest

from tests.conftest import RATE_HZ, noise
from tin_kettle.core.stages import KINDS
from tin_kettle.core.stages.automated_values import STILL
from tin_kettle.core.stages.declarations import describe_params
from tin_kettle.core.stages.stage import stage_class

PAGE = Path(__file__).parents[3] / "CONTRIBUTING.md"
ELSEWHERE = {
    "bands", "phase", "by", "crossovers_hz", "widths", "key", "detector_filters", "branches", "resolution_ms",
}  # fmt: skip
"""What editors of their own show."""


def test_the_example_is_a_whole_stage_in_few_lines():
    code = re.search(r"```python\n(.*?)```", PAGE.read_text(encoding="utf-8"), re.DOTALL).group(1)
    assert len([line for line in code.splitlines() if line.strip()]) <= 45
    made = {"__name__": "polarity"}
    exec(code, made)
    kind = made["KIND"]
    stage = stage_class(kind).model_validate({"id": "p", "kind": "polarity", "params": {"left": True}})
    assert (stage.declared.summary(stage.params), stage.mix) == ("inverts left", 1.0)
    block = noise(-20, 0.1)
    processor = kind.build(stage.params, RATE_HZ)
    assert processor.input_values is STILL
    np.testing.assert_array_equal(processor.process(block), [-block[0], block[1]])
    assert [param["label"] for param in describe_params(kind.params)] == ["Invert left", "Invert right"]


@pytest.mark.parametrize("kind", KINDS.values(), ids=KINDS)
def test_every_control_stands_in_one_column(kind):
    known = {param["name"] for param in describe_params(kind.params)}
    placed = [name for _, names in kind.columns for name in names]
    assert len(placed) == len(set(placed))
    assert set(placed) <= known | {"mix"}
    if kind.columns:
        assert known - set(placed) <= ELSEWHERE
        assert ("mix" in placed) == kind.mixes
    for name, (param, value) in kind.active_when.items():
        assert {name, param} <= known
        assert kind.params.model_validate({param: value})
