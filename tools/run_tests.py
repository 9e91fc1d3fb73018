"""All tests of Python: what plays in real time has the machine to itself, the rest takes the time that this leaves."""

from __future__ import annotations

import subprocess
import sys
import tempfile

from tin_kettle.core.leftover import take_what_is_left

PYTEST = [sys.executable, "-m", "pytest", "-m"]


def main() -> int:
    """How many of the two runs failed."""
    live = subprocess.Popen([*PYTEST, "live"])
    take_what_is_left()
    with tempfile.TemporaryFile("w+") as told:
        rest = subprocess.run([*PYTEST, "not live", "-n", "2", "--dist", "worksteal"], stdout=told, check=False)
        failed = live.wait() != 0
        told.seek(0)
        sys.stdout.write(told.read())
    return int(failed) + int(rest.returncode != 0)


if __name__ == "__main__":
    sys.exit(main())
