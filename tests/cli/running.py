"""The command line in this process: as scripts see it, without the seconds that a process takes to start."""

from __future__ import annotations

import contextlib
import io
import signal
import subprocess
import sys
from pathlib import Path

from tests.conftest import PATIENCE_S
from tin_kettle.cli.main import main

COMMAND = [sys.executable, "-m", "tin_kettle"]


def run(*arguments: object, cwd: Path) -> subprocess.CompletedProcess[str]:
    """Exit code and what was said."""
    out, err = io.StringIO(), io.StringIO()
    before = [signal.getsignal(number) for number in (signal.SIGINT, signal.SIGTERM)]
    argv, sys.argv = sys.argv, ["tin-kettle", *map(str, arguments)]
    code = 0
    try:
        with contextlib.chdir(cwd), contextlib.redirect_stdout(out), contextlib.redirect_stderr(err):
            main()
    except SystemExit as ended:
        code = int(ended.code or 0)
    finally:
        sys.argv = argv
        for number, handler in zip((signal.SIGINT, signal.SIGTERM), before, strict=True):
            signal.signal(number, handler)
    return subprocess.CompletedProcess(sys.argv, code, out.getvalue(), err.getvalue())


def run_apart(*arguments: object, cwd: Path) -> subprocess.CompletedProcess[str]:
    """The same in a process of its own."""
    return subprocess.run(
        [*COMMAND, *map(str, arguments)], cwd=cwd, capture_output=True, text=True, timeout=PATIENCE_S, check=False
    )
