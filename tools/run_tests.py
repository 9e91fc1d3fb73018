"""All tests of Python: what plays in real time has the machine to itself, the rest takes the time that this leaves."""

from __future__ import annotations

import subprocess
import sys
import tempfile

# in a session of its own: surveys and prints of the live tests have one each, and share evenly with it what is left
REST = """
import sys
import pytest
from tin_kettle.core.leftover import take_what_is_left
from tin_kettle.core.parent import end_with_parent
end_with_parent()
take_what_is_left()
sys.exit(pytest.main(["-m", "not live", "-n", "2", "--dist", "worksteal"]))
"""


def main() -> int:
    """How many of the two runs failed."""
    live = subprocess.Popen([sys.executable, "-m", "pytest", "-m", "live"])
    with tempfile.TemporaryFile("w+") as told:
        rest = subprocess.run([sys.executable, "-c", REST], stdout=told, start_new_session=True, check=False)
        failed = live.wait() != 0
        told.seek(0)
        sys.stdout.write(told.read())
    return int(failed) + int(rest.returncode != 0)


if __name__ == "__main__":
    sys.exit(main())
