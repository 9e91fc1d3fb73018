"""Commands that are loaded when they are called: help needs none of them, and none needs what the others do."""

from __future__ import annotations

from importlib import import_module

import click

COMMANDS = {
    "demo": ("serve", "Start with the demo release."),
    "serve": ("serve", "Start on your own library."),
    "restore": ("serve", "Put a copy of the library's database back; stop the server before."),
    "library": ("library", "Check a library for lost and damaged files."),
    "render": ("render", "Print a song through a recipe."),
    "measure": ("measure", "Measure a sound file."),
    "survey": ("survey", "Say what a recipe does to a whole song, and what to look at."),
    "response": ("response", "Print what a stage does to mid and side, by frequency."),
    "check": ("check", "Check a sound file against a delivery spec; exit 1 and the reasons where it fails."),
    "deliver": (
        "deliver",
        "Print every song of a record by every spec, check each file and hash it; exit 1 where one does not pass.",
    ),
    "set-level": (
        "set_level",
        "Set the gain at which the whole song measures a loudness; exit 1 where it cannot be reached.",
    ),
    "compare": ("compare", "Say what file B does that file A does not, aligned and at equal loudness."),
    "page": ("page", "Make a listening page: takes of songs side by side, in one file that opens anywhere."),
    "recipe": ("recipe", "Check a recipe, or begin one."),
    "batch": ("batch", "Do a file of jobs; what is there and made of the same is left alone."),
}
"""Name → its module in this package, and the first sentence of its help."""


class Commands(click.Group):
    """The commands by their names."""

    def list_commands(self, ctx: click.Context) -> list[str]:
        return list(COMMANDS)

    def get_command(self, ctx: click.Context, cmd_name: str) -> click.Command | None:
        if cmd_name not in COMMANDS:
            return None
        module = import_module(f"tin_kettle.cli.{COMMANDS[cmd_name][0]}")
        found = getattr(module, cmd_name.replace("-", "_"))
        assert isinstance(found, click.Command)
        return found

    def format_commands(self, ctx: click.Context, formatter: click.HelpFormatter) -> None:
        with formatter.section("Commands"):
            formatter.write_dl([(name, says) for name, (_, says) in COMMANDS.items()])
