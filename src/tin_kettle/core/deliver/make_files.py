"""One song by one spec: printed, tagged, measured and checked from the written file, hashed."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from tin_kettle.core.deliver.broadcast import add_chunk, bext_chunk
from tin_kettle.core.deliver.check import Check, measured_checks
from tin_kettle.core.deliver.formats import LOSSY, USUAL_KBIT_S
from tin_kettle.core.deliver.ogg import with_steady_serial
from tin_kettle.core.deliver.printing import PrintSettings, print_song
from tin_kettle.core.deliver.spec import Spec, tail_seconds
from tin_kettle.core.deliver.tags import Heading, write_tags
from tin_kettle.core.digest import sha256_of
from tin_kettle.core.engine.parallel import CORES
from tin_kettle.core.engine.source import Source
from tin_kettle.core.measure.song_measures import Measures
from tin_kettle.core.progress import Progress
from tin_kettle.core.recipe.model import Recipe
from tin_kettle.core.record.document import SongLayout
from tin_kettle.core.record.layout import kept_part, rings_on

ORIGINATOR = "Tin Kettle"
PRINTING = 0.7
"""Share of the work that is printing; the rest is reading it again."""


@dataclass(frozen=True)
class FinishedFile:
    """A finished file: its hash, what it was checked for, what it measures (of lossy files: decoded again)."""

    sha256: str
    checks: Sequence[Check]
    measures: Measures

    def document(self) -> dict[str, Any]:
        """Plain values."""
        return {
            "sha256": self.sha256,
            "checks": [check.document() for check in self.checks],
            "measures": self.measures,
        }


def make_file(
    recipe: Recipe,
    sources: Mapping[str, Source],
    path: Path,
    spec: Spec,
    settings: PrintSettings,
    heading: Heading,
    progress: Progress | None = None,
) -> FinishedFile:
    """Make a file as a spec asks for it; the same bytes on any day.

    Args:
        settings: how it is printed, as :func:`settings_of` has it.

    Raises:
        KettleError: the sources, the recipe or the format are refused.
        OSError: it cannot be written.
    """

    def told(share: float) -> None:
        if progress:
            progress(share)

    printed = print_song(recipe, sources, path, settings, lambda share: told(PRINTING * share))
    if spec.container == "bwf":
        title = f"{heading.artist} - {heading.title}" if heading.artist else heading.title
        add_chunk(path, bext_chunk(title, ORIGINATOR, heading.date or "", printed.measures))
    if spec.container in ("ogg", "opus"):
        with_steady_serial(path)
    if spec.tags:
        write_tags(path, spec.container, heading)
    measures, checks = measured_checks(path, spec, lambda share: told(PRINTING + (1.0 - PRINTING) * share))
    return FinishedFile(sha256_of(path), checks, measures)


def settings_of(
    spec: Spec, laid: SongLayout, seconds: float, threads: int = CORES, as_floats: bool = False
) -> PrintSettings:
    """How a song of so many seconds is printed by a spec; with ``as_floats`` into a file that is read again.

    Raises:
        AudioError: nothing is left of the song.
    """
    start_s, end_s = kept_part(laid, seconds)
    floats = as_floats or spec.container in LOSSY or spec.bits == "32f"
    return PrintSettings(
        bits="32f" if floats else "16" if spec.bits == 16 else "24",
        threads=threads,
        rate_hz=spec.rate_hz,
        dither=spec.dither,
        band_limit=spec.band_limit,
        gain_db=laid.gain_db,
        fade_in_s=laid.fade_in_s,
        fade_out_s=laid.fade_out_s,
        fade_shape=laid.fade_shape,
        from_s=start_s or None,
        to_s=end_s,
        tail_s=tail_seconds(spec.tail) if rings_on(laid, seconds) else 0.0,
        container="rf64" if as_floats else spec.container,
        kbit_s=spec.kbit_s or USUAL_KBIT_S,
    )
