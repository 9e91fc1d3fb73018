"""``make attack``: every attack at length; writes ``docs/reliability.md``."""

from __future__ import annotations

import sys
import tempfile
from datetime import UTC, datetime
from pathlib import Path

from tests.attack import connections, documents, drags, files, kills, messages, playing, routes
from tests.attack.row import Row

PAGE = Path("docs/reliability.md")
HEAD = """# Reliability

Made by `make attack` on {day}. Each line is an attack on the running program; *harm* counts what got through: an
acknowledged edit that was lost, a fault where words should have been, silence for whoever listened meanwhile, a
message with a path of the machine. `make test` runs the same attacks for a minute or two.

`tests/browser/test_surprises.py` closes the tab after an edit, kills the server under one, and looks at what is
kept while a drag lasts. What a killed browser loses of a drag is measured here: against what the server kept, or
offers at the next start of what it had heard; browser, server and hand share two cores.

| attack | tried | found | harm |
|---|---|---|---|
"""


def main() -> None:
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        rows: list[Row] = []
        for attack in (
            lambda: [kills.servers(folder, 6)],
            lambda: [kills.workers(folder, 4)],
            lambda: [kills.answering(folder, 4)],
            lambda: [documents.attack(folder, 4000)],
            lambda: [files.attack(folder, 1000)],
            lambda: [messages.attack(3000)],
            lambda: [routes.attack(folder, 5000)],
            lambda: connections.attack(folder, 4.0),
            lambda: [drags.browsers(folder, 10)],
            lambda: [playing.edits(folder, 600.0)],
        ):
            for row in attack():
                print(row.attack, row.tried, row.found, *row.harm, sep=" · ", flush=True)  # noqa: T201
                rows.append(row)
    lines = [f"| {row.attack} | {row.tried} | {row.found} | {len(row.harm)} |\n" for row in rows]
    PAGE.write_text(HEAD.format(day=datetime.now(UTC).date()) + "".join(lines))
    sys.exit(any(row.harm for row in rows))


if __name__ == "__main__":
    main()
