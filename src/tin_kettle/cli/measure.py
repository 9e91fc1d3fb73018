"""``tin-kettle measure``: what a file is."""

from __future__ import annotations

import json
from contextlib import closing
from pathlib import Path

import click

from tin_kettle.cli.param_types import Seconds
from tin_kettle.cli.progress import shown_progress
from tin_kettle.core.engine.measure_file import measure_file
from tin_kettle.core.engine.source import FileSource
from tin_kettle.core.measure.song_measures import Measures

_LINES = (
    ("loudness, whole file", "integrated_lufs", "LUFS"),
    ("loudest momentary", "max_momentary_lufs", "LUFS"),
    ("loudest short-term", "max_short_term_lufs", "LUFS"),
    ("loudness range", "loudness_range_lu", "LU"),
    ("true peak", "true_peak_dbtp", "dBTP"),
    ("sample peak", "sample_peak_dbfs", "dBFS"),
    ("peak to loudness", "peak_to_loudness_lu", "LU"),
    ("correlation", "correlation", ""),
    ("mono loses", "mono_loss_lu", "LU"),
    ("clipped samples", "clipped_samples", ""),
)


@click.command()
@click.argument("file", type=click.Path(path_type=Path))
@click.option("--from", "from_s", type=Seconds(), metavar="S", help="Start of the part that is measured.")
@click.option("--to", "to_s", type=Seconds(), metavar="S", help="End of the part that is measured.")
@click.option("--json", "as_json", is_flag=True, help="One JSON object with every measurement.")
def measure(file: Path, from_s: float | None, to_s: float | None, as_json: bool) -> None:
    """Measure a sound file."""
    with closing(FileSource(file)) as source, shown_progress(f"Measuring {file.name}") as progress:
        measures = measure_file(source, progress, from_s, to_s)
    if as_json:
        click.echo(json.dumps(measures))
        return
    click.echo(_heading(measures))
    for label, key, unit in _LINES:
        value = measures[key]
        shown = "—" if value is None else f"{value:.2f}" if isinstance(value, float) else str(value)
        click.echo(f"  {label:<22}{shown:>9} {unit}".rstrip())


def _heading(measures: Measures) -> str:
    channels = "mono" if measures["channels"] == 1 else "stereo"
    return f"{measures['duration_s']:.3f} s, {measures['rate_hz']} Hz, {channels}, {measures['format']}"
