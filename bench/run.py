"""``make bench``: run the benchmarks and write ``docs/performance.md``."""

from __future__ import annotations

import tempfile
from collections.abc import Iterable
from datetime import UTC, datetime
from pathlib import Path

from bench import accuracy, batch, dither, drawing, engine, live, record
from bench.base import base_clock

PAGE = Path("docs/performance.md")
ACCURACY = Path("docs/accuracy.md")
ACCURACY_HEAD = """# Accuracy

How near the sound is to what is promised; measured by `make bench`. The tests hold these and more.
"""
DITHER = """![Spectra of dither](dither.svg)

A tone of one step at 1 kHz, printed to 16 bits at 44.1 kHz, in bins of 5 Hz. Cut off, what is lost follows the tone and
is heard as its harmonics. Dither with a triangular density (`tpdf`, Lipshitz, Wannamaker, Vanderkooy 1992) makes it a
noise that does not: the tone sounds on below the last step. Shaped (the five-coefficient filter of Lipshitz,
Vanderkooy, Wannamaker 1991) moves that noise from where the ear is keenest to the top. Its sum is higher, so it comes
once, at the very end, and never before coding.
`python -m bench.dither` makes picture and figures.
"""
WITHIN = """
Within them, by profile: the saturator spends half on the filters to the higher rate and back and an eighth on its
curve; the tamer half on transforms; the limiter half on finding peaks between samples; the dynamic equalizer two
fifths on filters that move with every sample and a quarter on what its pins hear; band dynamics a quarter on parting
the bands.
"""
HEAD = """# Performance

Made by `make bench` on {day}; two cores. BASE is the time of one stereo biquad in C (gcc -O2), measured just before
and after each figure. Times to the ear are measured in headless Chromium, in frames of the audio device from the hand
on to the samples that leave the player, while server, browser and tap share the two cores. Machines are noisy: look at
the ratios.
"""


def table(title: str, rows: Iterable[tuple[str, str, str]]) -> str:
    lines = [f"## {title}", "", "| what | measured | goal |", "|---|---|---|"]
    for what, measured, goal in rows:
        print(f"{what}: {measured}", flush=True)
        lines.append(f"| {what} | {measured} | {goal} |")
    return "\n".join(lines) + "\n"


def main() -> None:
    with tempfile.TemporaryDirectory() as folder:
        parts = [
            HEAD.format(day=datetime.now(UTC).date()),
            table("Engine", engine.rows(base_clock(), folder)),
            table("Where the time of nine stages goes", engine.shares(base_clock())) + WITHIN,
            table("The bench", live.rows(Path(folder))),
            table("Drawing", drawing.rows(Path(folder))),
            table("A batch", batch.rows(Path(folder))),
            table("A record", record.rows(Path(folder))),
        ]
    PAGE.write_text("\n".join(parts))
    dither.PICTURE.write_text(dither.picture())
    parts = [ACCURACY_HEAD, table("Figures", accuracy.rows()), table("Dither", dither.rows()), DITHER]
    ACCURACY.write_text("\n".join(parts))


if __name__ == "__main__":
    main()
