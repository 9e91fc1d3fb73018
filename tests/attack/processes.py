"""Looking at the processes of a running server from outside."""

from __future__ import annotations

import os
import signal
from pathlib import Path

from tests.browser.driving import Server


def family(pid: int) -> list[int]:
    """A process and all that it began."""
    found = [pid]
    for stat in Path("/proc").glob("[0-9]*/stat"):
        child = int(stat.parent.name)
        if _parent(child) == pid:
            found += family(child)
    return found


def _parent(pid: int) -> int | None:
    try:
        return int(Path(f"/proc/{pid}/stat").read_text().rsplit(")", 1)[1].split()[1])
    except (FileNotFoundError, ProcessLookupError):
        return None


def command(pid: int) -> str:
    try:
        return Path(f"/proc/{pid}/cmdline").read_bytes().replace(b"\0", b" ").decode()
    except (FileNotFoundError, ProcessLookupError):
        return ""


def open_files(server: Server) -> int:
    return sum(len(list(Path(f"/proc/{pid}/fd").iterdir())) for pid in family(server.pid) if not is_worker(pid))


def memory_mb(server: Server) -> float:
    pages = sum(int(Path(f"/proc/{pid}/statm").read_text().split()[1]) for pid in family(server.pid))
    return pages * os.sysconf("SC_PAGE_SIZE") / 1e6


def is_worker(pid: int) -> bool:
    return "tin_kettle.web.worker" in command(pid)


def kill_answering(server: Server) -> None:
    """End the process that answers, but not the one that holds the port and looks after it."""
    (pid,) = (child for child in family(server.pid)[1:] if not is_worker(child) and _parent(child) == server.pid)
    os.kill(pid, signal.SIGKILL)


def kill_workers(server: Server) -> int:
    """End the processes of surveys and prints without a chance to tidy up; returns how many there were."""
    workers = [pid for pid in family(server.pid) if is_worker(pid)]
    for pid in workers:
        os.kill(pid, signal.SIGKILL)
    return len(workers)
