"""A process that another started ends with it, also where it has a session of its own."""

from __future__ import annotations

import subprocess
import sys

CHILD = """
import time
from tin_kettle.core.parent import end_with_parent
end_with_parent()
print("there", flush=True)
time.sleep(120)
"""
PARENT = f"""
import subprocess, sys, time
subprocess.Popen([sys.executable, "-c", {CHILD!r}], start_new_session=True)
time.sleep(120)
"""


def test_a_child_does_not_outlive_its_parent() -> None:
    parent = subprocess.Popen([sys.executable, "-c", PARENT], stdout=subprocess.PIPE, text=True)
    assert parent.stdout is not None
    assert parent.stdout.readline() == "there\n"
    parent.kill()
    # the child holds the other end as well: there is an end once it is gone
    assert parent.communicate(timeout=30)[0] == ""
