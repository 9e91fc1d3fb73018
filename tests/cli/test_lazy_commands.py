"""Commands are loaded when they are called: what is asked of one loads nothing of the others."""

import json
import subprocess
import sys

import click
import pytest

from tests.conftest import PATIENCE_S
from tin_kettle.cli.lazy_commands import COMMANDS, Commands
from tin_kettle.cli.main import cli

LOADED = """
import json, sys
from tin_kettle.cli.main import main
sys.argv = ["tin-kettle", *{arguments!r}]
try:
    main()
except SystemExit:
    pass
print(json.dumps(sorted({{name.split(".")[0] for name in sys.modules}})), file=sys.stderr)
"""
HEAVY = {"numpy", "scipy", "numba", "flask", "pydantic", "soundfile", "distributed", "dask", "sqlite3", "rich", "fpdf"}


def loaded_by(*arguments):
    done = subprocess.run(
        [sys.executable, "-c", LOADED.format(arguments=list(arguments))],
        capture_output=True,
        text=True,
        timeout=PATIENCE_S,
        check=True,
    )
    return set(json.loads(done.stderr.splitlines()[-1]))


@pytest.mark.parametrize("arguments", [("--help",), ("--version",), ("-h",), ("nonsense",)])
def test_help_loads_nothing_that_computes(arguments):
    assert not loaded_by(*arguments) & HEAVY


def test_what_reads_or_prints_a_file_loads_no_server_and_no_cluster(tmp_path):
    for command in ("measure", "check", "render"):
        assert not loaded_by(command, "--help") & {"flask", "distributed", "dask", "sqlite3", "gunicorn"}, command


@pytest.mark.parametrize("name", COMMANDS)
def test_the_list_says_what_each_command_says_of_itself(name):
    command = cli.get_command(click.Context(cli), name)
    assert isinstance(cli, Commands) and command is not None and command.name == name
    assert command.help is not None and command.help.split("\n\n")[0].replace("\n", " ") == COMMANDS[name][1]
