"""Jobs under way by the numbers of what they make."""

from __future__ import annotations

from collections.abc import Callable

from tin_kettle.web.jobs import Job


class RunningJobs:
    """Prints or deliveries under way; one that ended is not among them, however soon it did."""

    def __init__(self) -> None:
        self._jobs: dict[int, Job] = {}

    def begin(self, number: int, start: Callable[[Callable[[], None]], Job]) -> None:
        """Start a job for a number.

        Args:
            start: starts it; what it is given is called when the job has ended, from any thread.
        """
        job = start(lambda: self._forget(number))
        self._jobs[number] = job
        if job.ended:
            self._forget(number)

    def _forget(self, number: int) -> None:
        self._jobs.pop(number, None)

    def get(self, number: int) -> Job | None:
        """The job of a number, None where none is under way."""
        job = self._jobs.get(number)
        return None if job is None or job.ended else job

    def __contains__(self, number: int) -> bool:
        return self.get(number) is not None
