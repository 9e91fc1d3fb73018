"""A Dask cluster on this machine, as a studio has one in its rack."""

import socket
import subprocess
import sys
import time
from contextlib import contextmanager
from pathlib import Path

from tests.browser.driving import free_port
from tests.conftest import PATIENCE_S


@contextmanager
def cluster(workers):
    """Address, scheduler and workers, each a process of its own."""
    command = str(Path(sys.executable).with_name("dask"))
    address = f"tcp://127.0.0.1:{free_port()}"
    quiet = {"stdout": subprocess.DEVNULL, "stderr": subprocess.DEVNULL}
    host, port = address.removeprefix("tcp://").split(":")
    line = [command, "scheduler", "--host", host, "--port", port, "--no-dashboard", "--no-jupyter"]
    started = [subprocess.Popen(line, **quiet)]
    line = [command, "worker", address, "--nthreads", "1", "--no-nanny", "--no-dashboard"]
    started += [subprocess.Popen(line, **quiet) for _ in range(workers)]
    try:
        _wait_for(host, int(port))
        yield address, started[0], started[1:]
    finally:
        for process in started:
            process.kill()
            process.wait()


def _wait_for(host, port):
    end = time.monotonic() + PATIENCE_S
    while time.monotonic() < end:
        try:
            socket.create_connection((host, port), 1).close()
            return
        except OSError:
            time.sleep(0.1)
    raise TimeoutError(f"no scheduler at {host}:{port}")
