"""The process that answers: what it does before anybody asks."""

from __future__ import annotations

import subprocess
import sys
from pathlib import Path

LOOKED_THROUGH = """
import gc, sys, time
from pathlib import Path
from tin_kettle.store.database import Library
from tin_kettle.web.server import begin

begin(Library(Path(sys.argv[1])))
end = time.monotonic() + 600
while not gc.get_freeze_count() and time.monotonic() < end:
    time.sleep(0.05)
print(gc.get_freeze_count(), len(gc.get_objects()))
"""


def test_what_stays_for_good_is_not_looked_through_while_sound_is_made(tmp_path: Path) -> None:
    told = subprocess.run(
        [sys.executable, "-c", LOOKED_THROUGH, str(tmp_path)], capture_output=True, text=True, check=True
    )
    spared, looked_through = map(int, told.stdout.split())
    assert spared > 100_000, "the compiler is loaded"
    assert looked_through < spared / 50
