"""Surveys, findings, versions, references, matched gains, blind tests."""

from __future__ import annotations

import csv
import io
from contextlib import ExitStack
from dataclasses import asdict
from pathlib import PurePath
from typing import Any, cast, get_args

from flask import Blueprint, Response, jsonify, request

from tin_kettle.core.engine.passage import render_passage
from tin_kettle.core.engine.source import FileSource
from tin_kettle.core.errors import LibraryError
from tin_kettle.core.listen import blind
from tin_kettle.core.recipe.differences import differences
from tin_kettle.core.recipe.reading import dump_recipe, parse_recipe
from tin_kettle.core.survey.findings import with_fix
from tin_kettle.core.survey.suggest import suggest_tone
from tin_kettle.core.survey.survey import Survey
from tin_kettle.core.survey.work import makeup_gain_db, threshold_for_work
from tin_kettle.store import comparing as kept
from tin_kettle.store.songs import current_revision, get_song
from tin_kettle.store.sources import keep_source, receive
from tin_kettle.store.starts import keep_start, list_starts
from tin_kettle.web import surveys as views
from tin_kettle.web.context import body, context, int_argument, open_sources
from tin_kettle.web.jobs import Job
from tin_kettle.web.others import find_other
from tin_kettle.web.sources import chunks
from tin_kettle.web.surveys import Surveys

blueprint = Blueprint("comparing", __name__, url_prefix="/api")
MOST_COLUMNS = 8000
FAR = 1 << 40
surveys = Surveys()


def _look(song_id: int, name: str = "now") -> Survey | Job:
    return surveys.find(context(), song_id, name)


def _waiting(*found: Survey | Job) -> dict[str, Any] | None:
    """How far the work is, where any of it is not done."""
    jobs = [one for one in found if isinstance(one, Job)]
    if not jobs:
        return None
    done = (sum(job.progress for job in jobs) + len(found) - len(jobs)) / len(found)
    problem = next((job.problem for job in jobs if job.problem), None)
    # one that ended since it was looked up is there the next time
    state = "running" if jobs[0].state == "done" else jobs[0].state
    return {"state": state, "progress": round(done, 4), "problem": problem}


def _passage(frames: int) -> tuple[int, int]:
    start = min(max(int_argument("from", 0), 0), frames - 1)
    return start, max(start + 1, min(int_argument("to", FAR), frames))


def _count() -> int:
    return min(max(int_argument("columns", 900), 1), MOST_COLUMNS)


@blueprint.get("/songs/<int:song_id>/survey")
def survey(song_id: int) -> Response:
    """The survey of the present revision, begun where there is none: its progress, or all that a whole song shows."""
    now, received = _look(song_id), _look(song_id, "received")
    waiting = _waiting(now, received)
    if waiting:
        return jsonify(waiting)
    now, received = cast(Survey, now), cast(Survey, received)
    found, hidden = views.findings(context().library, song_id, now, received)
    return jsonify(
        state="done",
        progress=1.0,
        measures=now.measures,
        received=received.measures,
        findings=[finding.document() for finding in found],
        dismissed=hidden,
        **views.overview(now, 0, now.frames, _count()),
        received_wave=views.wave(received, 0, received.frames, _count()),
    )


@blueprint.post("/songs/<int:song_id>/survey/stop")
def stop(song_id: int) -> Response:
    surveys.stop(context(), song_id)
    return jsonify(stopped=True)


@blueprint.get("/songs/<int:song_id>/survey/columns")
def tile(song_id: int) -> Response:
    """The rows of the song map between two frames; null while there is no survey."""
    now, received = _look(song_id), _look(song_id, "received")
    if isinstance(now, Job) or isinstance(received, Job):
        return jsonify(None)
    span = _passage(now.frames)
    rows = views.overview(now, *span, _count())
    return jsonify(received_wave=views.wave(received, *span, _count()), **rows)


@blueprint.get("/songs/<int:song_id>/survey/stages/<stage_id>")
def series(song_id: int, stage_id: str) -> Response:
    """A stage's levels and effort between two frames; null while there is no survey."""
    now = _look(song_id)
    if isinstance(now, Job) or stage_id not in now.stages:
        return jsonify(None)
    return jsonify(now.series(stage_id, *_passage(now.frames), _count()))


def _reference_passage(song_id: int, name: str) -> tuple[int, int] | None:
    """The frames that are compared of a reference record; None where the song itself is compared."""
    library = context().library
    ref = find_other(library, song_id, name, current_revision(library, song_id).recipe).reference
    return (ref.start_frame, ref.end_frame) if ref else None


@blueprint.get("/songs/<int:song_id>/survey/match")
def match(song_id: int) -> Response:
    """Gains for equal loudness of now and ``?other=`` between two frames, or how far the work for it is."""
    name = request.args.get("other", "received")
    now, other = _look(song_id), _look(song_id, name)
    waiting = _waiting(now, other)
    if waiting:
        return jsonify(waiting)
    now, other = cast(Survey, now), cast(Survey, other)
    passage = _reference_passage(song_id, name)
    return jsonify(
        state="done",
        integrated_lufs=[now.measures["integrated_lufs"], other.measures["integrated_lufs"]],
        **views.match(now, other, *_passage(now.frames), passage),
    )


@blueprint.get("/songs/<int:song_id>/survey/panel")
def panel(song_id: int) -> Response:
    """Before and after of a passage: ``now`` and ``?other=``; as CSV with ``?format=csv``."""
    name = request.args.get("other", "received")
    now, other = _look(song_id), _look(song_id, name)
    waiting = _waiting(now, other)
    if waiting:
        return jsonify(waiting)
    now, other = cast(Survey, now), cast(Survey, other)
    passage = _reference_passage(song_id, name)
    theirs = passage or _passage(other.frames)
    after, before = views.panel(now, *_passage(now.frames)), views.panel(other, *theirs)
    if request.args.get("format") == "csv":
        return _csv(before, after)
    return jsonify(state="done", before=before, after=after, spread=views.spread(other, *theirs) if passage else None)


_CURVES = [(part, row, when, kind) for row, part in enumerate(("mid", "side")) for when in ("before", "after")
           for kind in ("average_db", "maximum_db")]  # fmt: skip


def _csv(before: dict[str, Any], after: dict[str, Any]) -> Response:
    states = {"before": before, "after": after}
    text = io.StringIO()
    rows = csv.writer(text)
    rows.writerow(["measure", "before", "after"])
    for name, value in before.items():
        if not isinstance(value, list):
            rows.writerow([name, value, after[name]])
    rows.writerow(["hz", *(f"{part} {when} {kind}" for part, _, when, kind in _CURVES)])
    for i, at in enumerate(before["hz"]):
        rows.writerow([at, *(states[when][kind][row][i] for _, row, when, kind in _CURVES)])
    answer = Response(text.getvalue(), mimetype="text/csv")
    answer.headers["Content-Disposition"] = 'attachment; filename="before-after.csv"'
    return answer


@blueprint.get("/songs/<int:song_id>/survey/effect/<stage_id>")
def effect(song_id: int, stage_id: str) -> Response:
    """What one stage changes of the song's peak, true peak and loudness where it stands, in dB and LU."""
    off, on = _look(song_id, f"before:{stage_id}"), _look(song_id, f"with:{stage_id}")
    waiting = _waiting(off, on)
    if waiting:
        return jsonify(waiting)
    before, after = cast(Survey, off).measures, cast(Survey, on).measures
    names = ("sample_peak_dbfs", "true_peak_dbtp", "integrated_lufs")
    changes = {name: None if None in (before[name], after[name]) else after[name] - before[name] for name in names}
    return jsonify(state="done", **changes)


@blueprint.get("/songs/<int:song_id>/survey/sections")
def propose(song_id: int) -> Response:
    """Sections proposed from the music as received; null while there is no survey."""
    received = _look(song_id, "received")
    return jsonify(None if isinstance(received, Job) else views.sections(received))


# ---- short passages, rendered while one waits


def _opened(song_id: int, stack: ExitStack) -> dict[str, FileSource]:
    sources = open_sources(context().library, song_id)
    for source in sources.values():
        stack.callback(source.close)
    return sources


@blueprint.get("/songs/<int:song_id>/scope")
def scope(song_id: int) -> Response:
    """The mid of a few thousand samples, before and after."""
    recipe = current_revision(context().library, song_id).recipe
    with ExitStack() as stack:
        sources = _opened(song_id, stack)
        start, end = _passage(max(source.frames for source in sources.values()))
        before, after = render_passage(recipe, sources, start, min(end, start + MOST_COLUMNS))
    return jsonify(before=before.mean(axis=0).round(6).tolist(), after=after.mean(axis=0).round(6).tolist())


@blueprint.post("/songs/<int:song_id>/stages/<stage_id>/makeup")
def makeup(song_id: int, stage_id: str) -> Response:
    """What to add to a compressor's makeup for equal loudness with and without it."""
    recipe = current_revision(context().library, song_id).recipe
    with ExitStack() as stack:
        sources = _opened(song_id, stack)
        start, end = _passage(max(source.frames for source in sources.values()))
        return jsonify(gain_db=makeup_gain_db(recipe, stage_id, sources, start, end))


@blueprint.post("/songs/<int:song_id>/stages/<stage_id>/threshold")
def same_work(song_id: int, stage_id: str) -> Response:
    """The threshold at which ``{"after"}`` works as hard as ``{"before"}`` did."""
    given = body()
    before, after = parse_recipe(given.get("before")), parse_recipe(given.get("after"))
    with ExitStack() as stack:
        sources = _opened(song_id, stack)
        span = _passage(max(source.frames for source in sources.values()))
        return jsonify(threshold_db=threshold_for_work(before, after, stage_id, sources, *span))


@blueprint.get("/starts")
def starts() -> Response:
    return jsonify(list_starts(context().library))


@blueprint.post("/starts")
def keep_a_start() -> Response:
    """Keep ``{"name", "stage"}`` as a starting point."""
    given = body()
    keep_start(context().library, str(given.get("name", "")), given.get("stage"))
    return jsonify(list_starts(context().library))


# ---- findings


@blueprint.post("/songs/<int:song_id>/findings/<finding_id>/try")
def try_fix(song_id: int, finding_id: str) -> Response:
    """Keep a finding's fix as a version beside the present state."""
    now, received = _look(song_id), _look(song_id, "received")
    if isinstance(now, Job) or isinstance(received, Job):
        raise LibraryError("the survey is still under way; try again when it is done")
    library = context().library
    found, _ = views.findings(library, song_id, now, received)
    finding = next((one for one in found if one.id == finding_id), None)
    if finding is None or finding.fix is None:
        raise LibraryError(f"there is no fix for '{finding_id}' any more; look at the list again")
    recipe = with_fix(current_revision(library, song_id).recipe, finding)
    return jsonify(_version(kept.try_version(library, song_id, recipe, finding.fix[:1].upper() + finding.fix[1:])))


@blueprint.post("/songs/<int:song_id>/findings/<finding_id>/dismiss")
def dismiss(song_id: int, finding_id: str) -> Response:
    kept.dismiss(context().library, song_id, finding_id[:120])
    return jsonify(dismissed=True)


@blueprint.post("/songs/<int:song_id>/findings/recall")
def recall(song_id: int) -> Response:
    kept.recall(context().library, song_id)
    return jsonify(recalled=True)


# ---- versions


def _version(version: kept.Version) -> dict[str, Any]:
    return {**asdict(version), "recipe": dump_recipe(kept.version_recipe(context().library, version.id))}


@blueprint.get("/songs/<int:song_id>/versions")
def versions(song_id: int) -> Response:
    return jsonify([_version(version) for version in kept.list_versions(context().library, song_id)])


@blueprint.post("/songs/<int:song_id>/versions")
def name_version(song_id: int) -> Response:
    """Name the present state: ``{"name"}``."""
    library = context().library
    name = str(body().get("name", "")).strip()[:80]
    if not name:
        raise LibraryError("a version needs a name; type one")
    return jsonify(_version(kept.add_version(library, song_id, current_revision(library, song_id).id, name)))


@blueprint.delete("/versions/<int:version_id>")
def forget_version(version_id: int) -> Response:
    kept.remove_version(context().library, version_id)
    return jsonify(removed=True)


@blueprint.get("/songs/<int:song_id>/differences")
def differ(song_id: int) -> Response:
    """What changes from ``?from=`` to ``?to=``, each ``now``, ``received`` or a version."""
    library, now = context().library, current_revision(context().library, song_id).recipe
    before, after = (
        find_other(library, song_id, request.args.get(name, "now"), now).recipe for name in ("before", "after")
    )
    return jsonify(differences(before, after))


# ---- references


def _reference(ref: kept.Reference) -> dict[str, Any]:
    return asdict(ref)


@blueprint.get("/references")
def references() -> Response:
    return jsonify([_reference(ref) for ref in kept.list_references(context().library)])


@blueprint.post("/references")
def add_reference() -> Response:
    """Take a finished record in; the body is the file."""
    library = context().library
    name = PurePath(request.args.get("name", "").replace("\\", "/")).name[:200] or "reference"
    path, sha256 = receive(library, chunks())
    source = keep_source(library, path, sha256, name)
    return jsonify(_reference(kept.add_reference(library, source, PurePath(name).stem)))


@blueprint.put("/references/<int:reference_id>")
def choose_passage(reference_id: int) -> Response:
    """``{"start_frame", "end_frame"}`` of the passage that is compared."""
    wanted = body()
    start, end = wanted.get("start_frame"), wanted.get("end_frame")
    if not isinstance(start, int) or not isinstance(end, int):
        raise LibraryError("a passage needs a start_frame and an end_frame; give whole numbers")
    kept.set_passage(context().library, reference_id, start, end)
    return jsonify(_reference(kept.get_reference(context().library, reference_id)))


@blueprint.delete("/references/<int:reference_id>")
def forget_reference(reference_id: int) -> Response:
    kept.remove_reference(context().library, reference_id)
    return jsonify(removed=True)


@blueprint.post("/songs/<int:song_id>/references/<int:reference_id>/suggest")
def suggest(song_id: int, reference_id: int) -> Response:
    """Keep a tone that goes half the way to a reference as a version beside the present state."""
    library, ref = context().library, kept.get_reference(context().library, reference_id)
    now, other = _look(song_id), _look(song_id, f"reference:{reference_id}")
    if isinstance(now, Job) or isinstance(other, Job):
        raise LibraryError("the survey is still under way; try again when it is done")
    recipe = current_revision(library, song_id).recipe
    found = suggest_tone(recipe, now, other, ref.start_frame, ref.end_frame)
    if found is None:
        raise LibraryError(f"{ref.name} and the song differ by less than is worth a move; nothing to suggest")
    return jsonify(_version(kept.try_version(library, song_id, found, f"Towards {ref.name}")))


# ---- blind tests


@blueprint.post("/songs/<int:song_id>/blind/order")
def blind_order(song_id: int) -> Response:
    """The order of a test of ``{"rounds"}`` rounds."""
    get_song(context().library, song_id)
    rounds = body().get("rounds")
    if not isinstance(rounds, int) or not blind.FEWEST <= rounds <= blind.MOST:
        raise LibraryError(f"{rounds} rounds are not allowed; {blind.FEWEST} to {blind.MOST} are")
    return jsonify(order=blind.blind_order(rounds))


@blueprint.post("/songs/<int:song_id>/blind")
def blind_result(song_id: int) -> Response:
    """Judge and keep a test: ``{"kind", "first", "second", "rounds", "hits"}``."""
    given = body()
    kind, rounds, hits = given.get("kind"), given.get("rounds"), given.get("hits")
    if kind not in get_args(blind.Kind) or not isinstance(rounds, int) or not isinstance(hits, int):
        raise LibraryError("the test cannot be judged; start another")
    if not 0 <= hits <= rounds <= blind.MOST:
        raise LibraryError(f"{hits} of {rounds} is no result; start another")
    names = {key: str(given.get(key, ""))[:80] for key in ("first", "second")}
    says = blind.judge(cast(blind.Kind, kind), hits, rounds, names["first"], names["second"])
    test = {"kind": kind, "rounds": rounds, "hits": hits, "says": says, **names}
    kept.add_blind_test(context().library, song_id, test)
    return jsonify(test)


@blueprint.get("/songs/<int:song_id>/blind")
def blind_tests(song_id: int) -> Response:
    return jsonify(kept.list_blind_tests(context().library, song_id))
