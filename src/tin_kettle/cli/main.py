"""The command line: ``tin-kettle demo | serve | restore | render | measure | survey | response | check | …``."""

from __future__ import annotations

import signal
import sys
from types import FrameType
from typing import NoReturn

import click

from tin_kettle import __version__
from tin_kettle.cli.lazy_commands import Commands
from tin_kettle.core.errors import KettleError

BAD_INPUT = 2
INTERRUPTED = 130


@click.group(cls=Commands, context_settings={"help_option_names": ["-h", "--help"]})
@click.version_option(__version__, prog_name="tin-kettle")
def cli() -> None:
    """The mastering engineer's bench in a browser."""


class _Stopped(BaseException):
    """The user or the system asked to end."""


def _stop(_number: int, _frame: FrameType | None) -> NoReturn:
    raise _Stopped


def main() -> None:
    """Run a command. Exit 0 done, 1 a check failed, 2 bad input with one line that says what would do."""
    # a stopped render must unwind, so that it takes its unfinished file away
    for number in (signal.SIGTERM, signal.SIGINT):
        signal.signal(number, _stop)
    try:
        sys.exit(cli.main(standalone_mode=False) or 0)
    except KettleError as refused:
        _complain(str(refused))
        sys.exit(BAD_INPUT)
    except click.ClickException as refused:
        _complain(refused.format_message())
        sys.exit(BAD_INPUT)
    except _Stopped:
        _complain("stopped; nothing was left behind")
        sys.exit(INTERRUPTED)


def _complain(text: str) -> None:
    click.echo("tin-kettle: " + " ".join(text.split()), err=True)
