"""Compiled kernels belong to the sources that they were made of."""

import shutil
import subprocess
import sys
from pathlib import Path

import numpy as np
import pytest

import tin_kettle
from tin_kettle.core.dsp import compile as compiling
from tin_kettle.core.dsp.compile import cache_folder, compile_all, is_compiled
from tin_kettle.core.dsp.decibels import apply_db


def test_kernels_are_kept_by_a_hash_of_all_sources():
    apply_db(np.ones((2, 4)), np.zeros((1, 4)), 6.0)
    assert cache_folder().name.startswith("kernels-")
    assert any(cache_folder().rglob("decibels.apply_db*"))


def test_it_is_known_whether_every_kernel_was_compiled(tmp_path, monkeypatch):
    def fails():
        raise KeyboardInterrupt

    done = []
    monkeypatch.setattr(compiling, "cache_folder", lambda: tmp_path / "kernels-1")
    (tmp_path / "kernels-1").mkdir()
    # modules that are loaded only now would add theirs
    monkeypatch.setattr(compiling.pkgutil, "walk_packages", lambda *_: [])
    monkeypatch.setattr(compiling, "_kernels", [lambda: done.append("first"), fails])
    with pytest.raises(KeyboardInterrupt):
        compile_all()
    assert (done, is_compiled()) == (["first"], False)
    compiling._kernels.pop()
    compile_all()
    assert is_compiled()


def test_a_helper_that_changes_is_not_used_as_it_was(tmp_path):
    """The helper is folded into kernels of other files, whose own files stay as they are."""
    core = tmp_path / "tin_kettle" / "core"
    shutil.copytree(Path(tin_kettle.__file__).parent / "core", core, ignore=shutil.ignore_patterns("__pycache__"))
    shutil.copy(tin_kettle.__file__, core.parent)
    helper = core / "dsp" / "gain.py"
    helper.write_text(
        "from tin_kettle.core.dsp.compile import inline\n\n\n@inline\ndef louder(x):\n    return 2.0 * x\n"
    )
    kernel = core / "dsp" / "uses_gain.py"
    kernel.write_text(
        "from tin_kettle.core.dsp.compile import kernel\nfrom tin_kettle.core.dsp.gain import louder\n\n\n"
        '@kernel("float64(float64)")\ndef raised(x):\n    return louder(x)\n'
    )
    ask = "from tin_kettle.core.dsp.uses_gain import raised; print(raised(1.0))"

    def answer() -> float:
        done = subprocess.run(
            [sys.executable, "-c", ask],
            capture_output=True,
            text=True,
            check=True,
            env={"PYTHONPATH": str(tmp_path), "HOME": str(tmp_path)},
        )
        return float(done.stdout)

    assert answer() == 2.0
    helper.write_text(helper.read_text().replace("2.0", "3.0"))
    assert answer() == 3.0
