"""Dask clusters: workers of this machine for as long as they are needed, or others by an address."""

from __future__ import annotations

import os
import socket
from collections.abc import Iterator
from contextlib import contextmanager
from typing import Any

from tin_kettle.core.errors import KettleError

MEMORY = "1GiB"
"""Of a worker on this machine: one that needs more is begun anew, and its job with it."""
TRIES = 3
REACH_S = 10


def connect(scheduler: str) -> Any:
    """A client of a running cluster.

    Raises:
        KettleError: it cannot be reached.
    """
    # only a batch or a cluster needs it, and it takes a second to load
    from distributed import Client  # noqa: PLC0415

    _settle()
    reach(scheduler)
    try:
        return Client(scheduler, timeout=REACH_S, set_as_default=False)
    except (OSError, TimeoutError, ValueError) as away:
        raise KettleError(f"no scheduler answers at '{scheduler}' ({away}); see to its address") from None


@contextmanager
def own_workers(workers: int | None) -> Iterator[Any]:
    """A client of so many processes on this machine; None takes one for each core."""
    from distributed import Client, LocalCluster  # noqa: PLC0415

    _settle()
    with (
        LocalCluster(
            n_workers=workers or os.cpu_count() or 1,
            threads_per_worker=1,
            processes=True,
            memory_limit=MEMORY,
            dashboard_address=None,
            silence_logs="CRITICAL",
        ) as cluster,
        Client(cluster, set_as_default=False) as client,
    ):
        yield client


def _settle() -> None:
    import dask  # noqa: PLC0415

    dask.config.set(
        {
            "distributed.scheduler.allowed-failures": TRIES,
            "distributed.worker.daemon": False,
            "distributed.admin.log-format": "%(message)s",
            "logging": {"distributed": "critical"},
        }
    )


def reach(address: str) -> None:
    """Knock first: the library asks on for a minute where nobody is.

    Raises:
        KettleError: nobody is.
    """
    host, _, port = address.rpartition("://")[2].rpartition(":")
    try:
        socket.create_connection((host.strip("[]"), int(port)), REACH_S).close()
    except (OSError, ValueError) as away:
        raise KettleError(
            f"no scheduler answers at '{address}' ({away}); give one such as tcp://host:8786, and see that it runs"
        ) from None
