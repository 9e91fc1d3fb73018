"""All tests of Python: what plays in real time has the machine to itself, the rest takes the time that this leaves."""

from __future__ import annotations

import subprocess
import sys
import tempfile

from tin_kettle.core.low_priority import take_what_is_left

PYTEST = [sys.executable, "-m", "pytest", "-m"]


def main() -> int:
    """How many of the two runs failed."""
    with tempfile.TemporaryFile("w+") as output:
        rest_of_them = [*PYTEST, "not live", "-n", "2", "--dist", "worksteal"]
        # no thread runs here that could hold a lock
        rest = subprocess.Popen(rest_of_them, stdout=output, preexec_fn=take_what_is_left)  # noqa: PLW1509
        try:
            live = subprocess.run([*PYTEST, "live"], check=False)
            rest.wait()
        finally:
            rest.kill()
        output.seek(0)
        sys.stdout.write(output.read())
    return int(live.returncode != 0) + int(rest.returncode != 0)


if __name__ == "__main__":
    sys.exit(main())
