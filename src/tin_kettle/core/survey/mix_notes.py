"""A list for whoever mixed a song: what was found in it as it came, and the engineer's own notes."""

from __future__ import annotations

import csv
import io
from collections.abc import Sequence
from dataclasses import dataclass

from tin_kettle.core.recipe.model import empty_recipe
from tin_kettle.core.spreadsheet_text import plain_cell
from tin_kettle.core.stages.number_text import clock
from tin_kettle.core.survey.finding import Finding
from tin_kettle.core.survey.findings import find
from tin_kettle.core.survey.survey import Survey


@dataclass(frozen=True)
class MixNote:
    """A line of the list; ``id`` is that of a finding, or empty for the engineer's own."""

    at_s: float | None
    text: str
    done: bool = False
    id: str = ""


def found_in_mix(received: Survey) -> list[Finding]:
    """What the survey finds in the song as it was received: faults that are mended best where they were made."""
    return find(received, received, empty_recipe())


def mix_note(finding: Finding, done: bool) -> MixNote:
    """A finding as a line."""
    return MixNote(finding.at_s, f"{finding.title}: {finding.says}", done, finding.id)


def in_order(notes: Sequence[MixNote]) -> list[MixNote]:
    """On the whole song first, then as the song goes."""
    return sorted(notes, key=lambda note: (note.at_s is not None, note.at_s or 0.0))


def where(at_s: float | None) -> str:
    """``1:34``, or that it is on the song as a whole."""
    return "song" if at_s is None else clock(at_s)


def as_text(title: str, notes: Sequence[MixNote]) -> str:
    """Plain text, a line a note."""
    lines = [f"[{'x' if note.done else ' '}] {where(note.at_s):>5}  {note.text}" for note in notes]
    return "\n".join([f"{title}: notes for the mix", "", *(lines or ["nothing"])]) + "\n"


def as_csv(title: str, notes: Sequence[MixNote]) -> str:
    """A table: song, seconds, time, note, done."""
    out = io.StringIO()
    rows = csv.writer(out, lineterminator="\r\n")
    rows.writerow(["song", "seconds", "time", "note", "done"])
    for note in notes:
        seconds = "" if note.at_s is None else f"{note.at_s:.2f}"
        rows.writerow(
            [plain_cell(title), seconds, where(note.at_s), plain_cell(note.text), "yes" if note.done else "no"]
        )
    return out.getvalue()
