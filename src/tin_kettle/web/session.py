"""What is said over the live socket: one session a bench, a little ahead of the ear, rewound when a control moves.

In: :mod:`tin_kettle.web.messages`, as JSON. What came together is done together: the sound is taken up again once for
all of it. Out: ``hello``, ``problem``, ``described`` {stages} with what an edit changed of summaries and pictures,
``work`` {heavy, progress}, ``priority`` (high or normal) and ``echo`` {at} as JSON, blocks as binary (:func:`pack`). A
chain is heavy where it can't be rendered as it plays, and ``progress`` is that of its loop, null without one. A problem
that is ``fatal`` is the last thing said.

Whatever happens is told once, in words, and the session goes on; a listener that says nothing sensible any more, or
whose sound fails again and again, is told so and let go.
"""

from __future__ import annotations

import contextlib
import json
import logging
import secrets
import threading
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace
from typing import Any

import orjson
from simple_websocket import ConnectionClosed

from tin_kettle.core.engine.live.audition import Audition
from tin_kettle.core.engine.live.checkpoint import Played
from tin_kettle.core.engine.live.listening_state import ListeningState
from tin_kettle.core.engine.live.render_path import Piece
from tin_kettle.core.errors import KettleError
from tin_kettle.core.listen.listening_settings import Listening, parse_listening, silent_buses
from tin_kettle.core.listen.loudness_match import LoudnessMatch, estimate_match
from tin_kettle.core.listen.monitor import Monitor
from tin_kettle.core.listen.speakers import turn_down_db
from tin_kettle.core.recipe.automation_text import rides_in_words
from tin_kettle.core.recipe.describe import describe_stage
from tin_kettle.core.recipe.model import Recipe
from tin_kettle.core.stages.stage import Stage
from tin_kettle.web.bench_document import BenchDocument
from tin_kettle.web.block_format import pack
from tin_kettle.web.comparison_sources import drawn_from
from tin_kettle.web.load import Load
from tin_kettle.web.messages import (
    AnyMessage,
    Choose,
    Compare,
    Credit,
    Echo,
    Edit,
    EditChange,
    Gains,
    Hand,
    Listen,
    Loop,
    Seek,
    Tap,
    Touches,
    read_message,
)
from tin_kettle.web.priority import raised_priority
from tin_kettle.web.render_schedule import RenderSchedule

_log = logging.getLogger(__name__)
BOOT = secrets.token_hex(8)
ROOM_FOR_SPARES = 0.35
MATCH_EVERY = 8
EDITS = (Edit, EditChange, Touches)
WISHES = (*EDITS, Tap, Compare, Listen)
"""Messages that say what is to be heard."""
FIRST = (Choose, *WISHES)
"""Of what came together this is done first, in this order; the rest as it came: a loop may lead back from a seek."""
MOST_NONSENSE = 50
"""So many messages in a row that cannot be understood, and nobody sensible is at the other end."""
MOST_FAILURES = 5
"""So often in a row the sound may fail."""


class Session:
    """One listener: messages come in on the handler's thread, blocks go out from another."""

    def __init__(
        self,
        audition: Audition,
        send: Callable[[bytes | str], None],
        find_piece: Callable[[str, Recipe], Piece] | None = None,
        words: Callable[[Exception], str] = str,
    ) -> None:
        self._audition = audition
        self._find_piece = find_piece
        self._words = words
        self._send_raw = send
        self._send_lock = threading.Lock()
        self._wake = threading.Condition()
        self._mail: dict[type[AnyMessage], AnyMessage] = {}
        self._found: dict[type[AnyMessage], Any] = {}
        self._pace = RenderSchedule(audition)
        self._load = Load()
        self._closed = False
        self._at_hand: dict[str, Piece | None] = {}
        self._listening = Listening()
        # files are opened and converted beside the rendering, one after the other
        self._opener = ThreadPoolExecutor(1, "open")
        self._asked: dict[type[AnyMessage], int] = {}
        self._gains_db: dict[str, float] = {}
        self._match: LoudnessMatch | None = None
        self._count = 0
        self._described: dict[str, tuple[Stage, str]] = {}
        self.edited = BenchDocument(audition.recipe)
        self._attending = True
        self._nonsense = self._failures = 0
        self._stuck = False
        self._problem: str | None = None

    def send(self, data: bytes | str) -> None:
        """The socket library does not lock: two threads may not send at once."""
        try:
            with self._send_lock:
                self._send_raw(data)
        except OSError as gone:
            # whoever does not read any more is gone as well
            raise ConnectionClosed from gone

    def say(self, kind: str, **values: Any) -> None:
        self.send(json.dumps({"type": kind, **values}))

    def hello(self) -> None:
        self.say(
            "hello",
            boot=BOOT,
            rate_hz=self._audition.rate_hz,
            frames=self._audition.frames,
            block=self._audition.block_frames,
        )

    def close(self) -> None:
        with self._wake:
            self._closed = True
            self._wake.notify()
        self._opener.shutdown(wait=False, cancel_futures=True)

    def hear(self, text: str | bytes) -> None:
        """Take a message in; the last of each kind counts.

        Raises:
            ConnectionClosed: nothing sensible came for long.
        """
        try:
            self._take_in(text)
            self._nonsense = 0
        except ConnectionClosed:
            raise
        except Exception as refused:
            if not isinstance(refused, KettleError):
                _log.exception("a message failed")
            self._nonsense += 1
            if self._nonsense >= MOST_NONSENSE:
                self.say("problem", problem=f"{MOST_NONSENSE} messages made no sense; reload the bench", fatal=True)
                raise ConnectionClosed from refused
            self.tell(refused)

    def _take_in(self, text: str | bytes) -> None:
        message = read_message(text)
        if isinstance(message, Echo):
            self.say("echo", at=message.at)
            return
        recipe = self.edited.take(message)
        if isinstance(message, Compare | Hand):
            self._asked[type(message)] = self._asked.get(type(message), 0) + 1
            self._opener.submit(self._open, message, self._asked[type(message)])
            return
        with self._wake:
            if isinstance(message, Credit):
                if not self._pace.grant(message.epoch, message.position, message.heard, message.near, message.playing):
                    return
                self._attending = True
            else:
                self._mail.pop(type(message), None)
                self._mail[type(message)] = message
                if recipe is not None:
                    self._found[Edit] = recipe
                    self._pace.edited()
            self._wake.notify()
        if recipe is not None:
            self._describe(recipe)

    def tell(self, problem: Exception) -> None:
        """Say what is wrong, once until something went well."""
        text = self._words(problem)
        if text != self._problem:
            self._problem = text
            self.say("problem", problem=text)

    def _open(self, message: Compare | Hand, number: int) -> None:
        """Find what is to be compared, and put it into the mail; what was asked for since makes it void."""
        try:
            found = self._piece(message.other) if isinstance(message, Compare) else self._pieces(message.others)
        except ConnectionClosed:
            return
        except Exception as problem:  # noqa: BLE001  it is told, and what was compared so far stays
            if not isinstance(problem, KettleError | OSError):
                _log.exception("opening what is compared")
            with contextlib.suppress(ConnectionClosed):
                self.tell(problem)
            return
        with self._wake:
            if self._asked[type(message)] == number:
                self._mail[type(message)], self._found[type(message)] = message, found
                self._wake.notify()

    def _piece(self, name: str) -> Piece | None:
        """What a name stands for; None for the song as received, and for what follows every edit."""
        if name == "received" or self._find_piece is None or drawn_from(name, self._audition.recipe) is not None:
            return None
        return self._at_hand.get(name) or self._find_piece(name, self._audition.recipe)

    def _pieces(self, names: list[str]) -> dict[str, Piece | None]:
        pieces: dict[str, Piece | None] = {}
        for name in names:
            if drawn_from(name, self._audition.recipe) is not None:
                continue
            try:
                pieces[name] = self._piece(name)
            except KettleError:
                continue  # gone meanwhile; comparing with it will say so
        return pieces

    def _describe(self, recipe: Recipe) -> None:
        """Draw what an edit changed, on the listening thread: a curve follows the hand while the sound is rendered."""
        rides = rides_in_words(recipe)
        stages = {stage.id: (stage, rides.get(stage.id, "")) for stage in recipe.stages()}
        changed = [told for name, told in stages.items() if self._described.get(name) != told]
        self._described = stages
        if changed:
            rate_hz = self._audition.rate_hz
            pictures = {stage.id: describe_stage(stage, rate_hz, words) for stage, words in changed}
            self.send(orjson.dumps({"type": "described", "stages": pictures}).decode())

    def run(self) -> None:
        """Render as credit allows until closed."""
        with raised_priority() as priority, contextlib.suppress(ConnectionClosed):
            self.say("priority", priority=priority)
            self._run()

    def _run(self) -> None:
        while True:
            with self._wake:
                self._wake.wait_for(self._something_to_do, timeout=self._pace.patience_s(bool(self._mail)))
                if self._closed:
                    return
                mail, found = self._take_mail()
            try:
                self._go_on(mail, found)
            except ConnectionClosed:
                return
            except Exception as problem:  # noqa: BLE001  it is told, and whoever listens goes on listening
                if not isinstance(problem, KettleError | OSError):
                    _log.exception("the sound failed")
                try:
                    self._fail(problem)
                except ConnectionClosed:
                    return

    def _go_on(self, mail: list[AnyMessage], found: dict[type[AnyMessage], Any]) -> None:
        if mail:
            self._stuck = False
        self._wish([message for message in mail if isinstance(message, WISHES)], found)
        for message in mail:
            if not isinstance(message, WISHES):
                try:
                    self._obey(message, found)
                except (KettleError, ValueError) as refused:
                    self.tell(refused)
        if self._may_render():
            self._render()
            self._problem, self._failures = None, 0
        elif self._loop_to_render():
            self._audition.work_ahead(self._pace.heard)
        elif self._attending and not self._stuck:
            self._attend()
        elif self._may_render_far():
            self._render_far()
        self._look_at_load()

    def _fail(self, problem: Exception) -> None:
        """Tell it, and wait until something else is asked for: the same block would fail again."""
        self._stuck = True
        self._attending = False
        self._failures += 1
        if self._failures < MOST_FAILURES:
            self.tell(problem)
        else:
            self.say("problem", problem=f"{self._words(problem)}; the sound is started anew", fatal=True)
            raise ConnectionClosed

    def _something_to_do(self) -> bool:
        busy = self._attending or self._loop_to_render() or self._may_render_far()
        return self._closed or self._due() or self._may_render() or busy

    def _due(self) -> bool:
        if not self._mail:
            return False
        return not set(self._mail) <= set(EDITS) or self._pace.is_due(self._may_render())

    def _take_mail(self) -> tuple[list[AnyMessage], dict[type[AnyMessage], Any]]:
        """What is to be done now, and the recipes and pieces that belong to it."""
        if not self._due():
            return [], {}
        mail, found = self._mail, self._found
        self._mail, self._found = {}, {}
        first = [mail.pop(kind) for kind in FIRST if kind in mail]
        return [*first, *mail.values()], found

    def _may_render(self) -> bool:
        return not self._stuck and self._audition.can_play and self._pace.lacks()

    def _may_render_far(self) -> bool:
        return not self._stuck and self._audition.can_play and self._pace.has_room()

    def _loop_to_render(self) -> bool:
        ahead = self._audition.ahead
        return not self._stuck and ahead is not None and ahead.progress < 1.0

    def _attend(self) -> None:
        """Look after what is kept at hand, where there is time for it."""
        self._attending = self._load.work < ROOM_FOR_SPARES and self._audition.attend(self._pace.heard)

    def _look_at_load(self) -> None:
        news = self._load.look(self._audition)
        if news:
            self.say("work", heavy=news[0], progress=news[1])

    def _wish(self, mail: list[AnyMessage], found: dict[type[AnyMessage], Any]) -> None:
        """Bring all that was asked for together to the ear at once; what is refused leaves the rest alone."""
        if not mail:
            return
        audition, heard = self._audition, 0
        wanted = audition.listening
        for message in mail:
            try:
                wanted = self._wished(wanted, message, found)
                # what waited is met where the ear is by now
                heard = max(heard, self._pace.possible(message.heard), self._pace.heard)
            except (KettleError, ValueError) as refused:
                self.tell(refused)
        following = drawn_from(wanted.other_name, wanted.recipe)
        if following is not None:
            wanted = audition.comparing(wanted, wanted.other_name, Piece(following, audition.sources))
        wanted = replace(wanted, silent=silent_buses(wanted.recipe, self._listening))
        audition.want(wanted, heard)
        self._pace.rewound()

    def _wished(
        self, wanted: ListeningState, message: AnyMessage, found: dict[type[AnyMessage], Any]
    ) -> ListeningState:
        audition = self._audition
        if isinstance(message, Edit | EditChange | Touches):
            self._pace.rewinds()
            audition.check(found[Edit])
            return replace(wanted, recipe=found[Edit], revision=max(wanted.revision, message.revision))
        if isinstance(message, Tap):
            return replace(wanted, tap=(message.stage, message.tap))
        if isinstance(message, Compare):
            if drawn_from(message.other, wanted.recipe) is not None:
                return replace(wanted, other_name=message.other)
            return audition.comparing(wanted, message.other, found[Compare])
        assert isinstance(message, Listen)
        self._listening = parse_listening(message.listening)
        now, other = (Monitor(self._listening, audition.rate_hz, turn_down_db(lufs)) for lufs in message.lufs)
        return replace(wanted, ears=(now, other))

    def _obey(self, message: AnyMessage, found: dict[type[AnyMessage], Any]) -> None:
        audition = self._audition
        if isinstance(message, Loop):
            loop = None if message.loop is None else (message.loop[0], message.loop[1])
            audition.set_loop(loop, self._pace.possible(message.heard))
        elif isinstance(message, Seek):
            audition.seek(message.song)
        elif isinstance(message, Choose):
            audition.choose(message.stage)
        elif isinstance(message, Gains):
            self._gains_db = message.gains_db
        elif isinstance(message, Hand):
            self._at_hand = found[Hand]
            audition.keep_at_hand(self._at_hand)
            self._attending = True
        self._pace.follow()

    def _render(self) -> None:
        with self._load.measured(self._audition):
            played = self._audition.render()
        self._give(played)

    def _render_far(self) -> None:
        with self._load.measured(self._audition):
            blocks = self._audition.render_far()
        for played in blocks:
            self._give(played)

    def _give(self, played: Played) -> None:
        known_db = (self._gains_db.get(self._audition.other_name), self._gains_db.get("now"))
        if self._count % MATCH_EVERY == 0:
            self._match = estimate_match(*self._audition.running_lufs(), *known_db)
        self._count += 1
        near = estimate_match(*self._audition.near_lufs(), *known_db)
        played.meters["match"] = self._match and self._match.document()
        played.meters["near"] = near and near.document()
        self.send(pack(played, self._load.of_time, self._load.work))
        self._pace.gave()
