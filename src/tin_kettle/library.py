"""Tin Kettle as a library: recipes at work on arrays and files, without a server and without a database.

A *recipe* is a decoded document, a :class:`~tin_kettle.core.recipe.model.Recipe`, or the path of a ``*.kettle.json``
file. A *sound* is an array, (frames,) or (channels, frames), with its ``rate_hz``, or the path of a sound file; where a
recipe has several buses, a mapping of their ids to sounds.

>>> import numpy as np
>>> import tin_kettle
>>> t = np.arange(48000) / 48000
>>> tone = 0.5 * np.sin(2 * np.pi * 997 * t)
>>> louder = {
...     "format": "tin-kettle-recipe", "version": 1,
...     "master": [{"id": "up", "kind": "trim", "params": {"gain_db": 6.0}}],
... }
>>> tin_kettle.render(louder, tone, rate_hz=48000).shape
(2, 48000)
>>> round(tin_kettle.measure(tone, rate_hz=48000)["true_peak_dbtp"], 1)
-6.0
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from contextlib import ExitStack, contextmanager
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import ArrayLike, NDArray

from tin_kettle.core.deliver.printing import PrintSettings, print_song
from tin_kettle.core.engine.measure_file import measure_file
from tin_kettle.core.engine.offline import render as render_blocks
from tin_kettle.core.engine.offline import song_rate
from tin_kettle.core.engine.source import HIGHEST_RATE_HZ, LOWEST_RATE_HZ, ArraySource, FileSource, Source
from tin_kettle.core.errors import AudioError, RecipeError
from tin_kettle.core.measure.song_measures import SongMeter
from tin_kettle.core.recipe.describe import stage_response
from tin_kettle.core.recipe.model import Recipe
from tin_kettle.core.recipe.reading import check_rate, load_recipe, parse_recipe
from tin_kettle.core.survey.report import report
from tin_kettle.core.survey.survey import survey_song

AnyRecipe = Recipe | Mapping[str, Any] | str | Path
OneSound = ArrayLike | str | Path
AnySound = OneSound | Mapping[str, OneSound]
POINTS = 480
MEASURED_FRAMES = 16384


def render(recipe: AnyRecipe, sound: AnySound, rate_hz: int | None = None) -> NDArray[np.float64]:
    """The mastered song, (2, frames) in double precision, as long as the longest source and in time with it.

    Raises:
        RecipeError: the recipe is refused, or does not go with the sounds.
        AudioError: a sound cannot be read, or no rate was given for an array.

    >>> import numpy as np
    >>> from tin_kettle import render
    >>> quiet = render({"format": "tin-kettle-recipe", "version": 1}, np.ones(8) / 4, rate_hz=48000)
    >>> quiet[0].tolist()
    [0.25, 0.25, 0.25, 0.25, 0.25, 0.25, 0.25, 0.25]
    """
    made = _recipe(recipe)
    with _sources(made, sound, rate_hz) as sources:
        check_rate(made, song_rate(made, sources))
        return np.concatenate(list(render_blocks(made, sources)), axis=1)


def render_to(
    path: str | Path, recipe: AnyRecipe, sound: AnySound, rate_hz: int | None = None, **settings: Any
) -> dict[str, Any]:
    """Print the mastered song to a WAV, FLAC or AIFF file, in constant memory; returns what the file measures.

    Args:
        settings: fields of :class:`~tin_kettle.core.deliver.printing.PrintSettings`, such as ``bits="16"``,
            ``dither="shaped"``, ``rate_hz`` of the file as ``print_rate_hz``.

    Raises:
        RecipeError, AudioError: the recipe, a sound, or the file's format are refused.
        OSError: the file cannot be written.
    """
    made = _recipe(recipe)
    if "print_rate_hz" in settings:
        settings["rate_hz"] = settings.pop("print_rate_hz")
    with _sources(made, sound, rate_hz) as sources:
        check_rate(made, song_rate(made, sources))
        return print_song(made, sources, Path(path), PrintSettings(**settings)).measures


def measure(sound: OneSound, rate_hz: int | None = None) -> dict[str, Any]:
    """Loudness, peaks, image and spectrum of a sound, as ``tin-kettle measure --json`` tells them.

    Raises:
        AudioError: it cannot be read, or no rate was given for an array.

    >>> import numpy as np
    >>> from tin_kettle import measure
    >>> t = np.arange(5 * 48000) / 48000
    >>> side = 10 ** (-23 / 20) * np.sin(2 * np.pi * 1000 * t)
    >>> round(measure(np.stack([side, side]), rate_hz=48000)["integrated_lufs"], 1)
    -23.0
    """
    if isinstance(sound, str | Path):
        source = FileSource(Path(sound))
        try:
            return measure_file(source)
        finally:
            source.close()
    samples = np.asarray(sound)
    source_of = _array(samples, rate_hz)
    meter = SongMeter(source_of.rate_hz, 1 if samples.ndim == 1 or samples.shape[0] == 1 else 2)
    for start in range(0, source_of.frames, MEASURED_FRAMES):
        meter.feed(source_of.read(start, min(MEASURED_FRAMES, source_of.frames - start)))
    return meter.finish()


def survey(recipe: AnyRecipe, sound: AnySound, rate_hz: int | None = None) -> dict[str, Any]:
    """What a recipe does to a whole song: measures before and after, every stage's effort, findings.

    Raises:
        RecipeError, AudioError: as :func:`render`.
    """
    made = _recipe(recipe)
    with _sources(made, sound, rate_hz) as sources:
        check_rate(made, song_rate(made, sources))
        return report(made, survey_song(made, sources), survey_song(made.as_received(), sources))


def response(recipe: AnyRecipe, stage: str, rate_hz: int = 48000) -> dict[str, list[float]]:
    """What a filter or an equalizer does by frequency: ``hz``, ``mid_db``, ``side_db``.

    Raises:
        RecipeError: the recipe is refused, or it has no such stage, or the stage no curve.

    >>> from tin_kettle import response
    >>> low_cut = {"id": "clean", "kind": "filter", "params": {"high_pass_on": True, "high_pass_hz": 100}}
    >>> found = response({"format": "tin-kettle-recipe", "version": 1, "master": [low_cut]}, "clean")
    >>> found["mid_db"][0] < -80 and abs(found["mid_db"][-1]) < 0.01
    True
    """
    made = _recipe(recipe)
    check_rate(made, rate_hz)
    chosen = made.stage(stage)
    if chosen is None:
        known = ", ".join(one.id for one in made.stages()) or "none"
        raise RecipeError("stage", f"there is no stage '{stage}'; stages: {known}")
    return stage_response(chosen, np.geomspace(8.0, min(24000.0, 0.499 * rate_hz), POINTS), rate_hz)


def _recipe(given: AnyRecipe) -> Recipe:
    if isinstance(given, Recipe):
        return given
    return load_recipe(Path(given)) if isinstance(given, str | Path) else parse_recipe(dict(given))


def _array(samples: NDArray[Any], rate_hz: int | None) -> ArraySource:
    if rate_hz is None:
        raise AudioError("samples have no rate of their own; give rate_hz")
    if not LOWEST_RATE_HZ <= rate_hz <= HIGHEST_RATE_HZ:
        raise AudioError(f"{rate_hz} Hz is no rate; {LOWEST_RATE_HZ} to {HIGHEST_RATE_HZ} Hz are allowed")
    rows = np.atleast_2d(np.asarray(samples, dtype=np.float64))
    if rows.ndim != 2 or not 1 <= rows.shape[0] <= 2 or rows.shape[1] == 0:
        raise AudioError(f"samples of shape {np.shape(samples)}; (frames,), (1, frames) or (2, frames) are allowed")
    if not np.isfinite(rows).all():
        raise AudioError("some samples are no numbers; take NaN and infinity out")
    return ArraySource(np.broadcast_to(rows, (2, rows.shape[1])), rate_hz)


@contextmanager
def _sources(recipe: Recipe, sound: AnySound, rate_hz: int | None) -> Iterator[dict[str, Source]]:
    sounds = sound if isinstance(sound, Mapping) else {recipe.buses[0].id: sound}
    with ExitStack() as stack:
        found: dict[str, Source] = {}
        for bus_id, one in sounds.items():
            if isinstance(one, str | Path):
                file = FileSource(Path(one))
                stack.callback(file.close)
                found[bus_id] = file
            else:
                found[bus_id] = _array(np.asarray(one), rate_hz)
        yield found
