"""What is said over the live socket: one session a bench, a little ahead of the ear, rewound when a control moves.

In: :mod:`tin_kettle.web.messages`, as JSON. What came together is done together: the sound is taken up again once for
all of it. Out: ``hello``, ``problem``, ``described`` {stages} with what an edit changed of summaries and pictures, and
``work`` {heavy, progress} as JSON, blocks as binary (:func:`pack`); a chain is heavy where it can't be rendered as it
plays, and ``progress`` is that of its loop, null without one. A problem that is ``fatal`` is the last thing said.

Whatever happens is told once, in words, and the session goes on; a listener that says nothing sensible any more, or
whose sound fails again and again, is told so and let go.
"""

from __future__ import annotations

import contextlib
import json
import logging
import secrets
import threading
import time
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace
from typing import Any

import orjson
from simple_websocket import ConnectionClosed

from tin_kettle.core.engine.live.audition import Audition
from tin_kettle.core.engine.live.road import Piece
from tin_kettle.core.engine.live.wanted import Wanted
from tin_kettle.core.errors import KettleError
from tin_kettle.core.listen.match import Match, estimate_match
from tin_kettle.core.listen.monitor import Monitor
from tin_kettle.core.listen.places import turn_down_db
from tin_kettle.core.listen.setting import Listening, parse_listening, silent_lanes
from tin_kettle.core.recipe.describe import describe_stage
from tin_kettle.core.recipe.model import Recipe
from tin_kettle.core.recipe.rides_told import rides_in_words
from tin_kettle.core.stages.stage import Stage
from tin_kettle.web.edited import Edited
from tin_kettle.web.load import Load
from tin_kettle.web.messages import (
    AnyMessage,
    Choose,
    Compare,
    Credit,
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
from tin_kettle.web.others import drawn_from
from tin_kettle.web.wire import pack

_log = logging.getLogger(__name__)
BOOT = secrets.token_hex(8)
MOST_AHEAD_S = 1.0
"""However much credit is asked for, no more than this is rendered ahead."""
REWIND_GAP_S, STILL_GAP_S = 0.04, 0.1
"""Edits are heard no more often than this; where nothing plays it is enough that what is shown follows."""
MOVES_ON_S = 0.05
"""A hand whose edits follow each other so soon moves on."""
CAUGHT_UP = 0.8
"""Its edits wait until so much of what the last one threw away is there again: gaps are left only where the machine has
no time at all."""
LEFT_AHEAD = 0.3
"""One that comes alone waits for nothing while so much lies ahead of the ear: what it is to replace is played until it
is replaced."""
LONGEST_REWIND_GAP_S = 0.3
"""At the latest after so long: a chain that hardly keeps up is heard to move as well."""
HAND_S = 0.15
"""So long after an edit the hand may be under way."""
STILL_S = 0.25
"""What has not gone on for so long does not play."""
STILL_BLOCKS = 2
"""While a hand moves and nothing plays, no more than this is rendered ahead: the next edit throws it away."""
ROOM_FOR_SPARES = 0.35
MATCH_EVERY = 8
WISHES = (Edit, EditChange, Touches, Tap, Compare, Listen)
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
        self._credit = 0
        self._credit_epoch = audition.epoch
        self._sent = 0
        self._edited_at = 0.0
        self._moves_on = False
        self._heard = 0
        self._went_on = 0.0
        self._closed = False
        self._load = Load()
        self._rewound = 0.0
        self._taken_up = 0
        self._at_hand: dict[str, Piece | None] = {}
        self._listening = Listening()
        # files are opened and converted beside the rendering, one after the other
        self._opener = ThreadPoolExecutor(1, "open")
        self._asked: dict[type[AnyMessage], int] = {}
        self._gains_db: dict[str, float] = {}
        self._match: Match | None = None
        self._count = 0
        self._described: dict[str, tuple[Stage, str]] = {}
        self.edited = Edited(audition.recipe)
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
            message = read_message(text)
            recipe = self.edited.take(message)
        except KettleError as refused:
            self._nonsense += 1
            if self._nonsense >= MOST_NONSENSE:
                self.say("problem", problem=f"{MOST_NONSENSE} messages made no sense; reload the bench", fatal=True)
                raise ConnectionClosed from refused
            self.tell(refused)
            return
        self._nonsense = 0
        if isinstance(message, Compare | Hand):
            self._asked[type(message)] = self._asked.get(type(message), 0) + 1
            self._opener.submit(self._open, message, self._asked[type(message)])
            return
        with self._wake:
            if isinstance(message, Credit):
                if message.epoch < self._credit_epoch:
                    return  # meant for what was played before a seek
                most = self._audition.position + round(MOST_AHEAD_S * self._audition.rate_hz)
                self._credit, self._credit_epoch = min(message.position, most), message.epoch
                heard = self._possible(message.heard)
                if heard != self._heard:
                    self._heard, self._went_on = heard, time.monotonic()
                self._attending = True
            else:
                self._mail.pop(type(message), None)
                self._mail[type(message)] = message
                if recipe is not None:
                    self._found[Edit] = recipe
                    self._moves_on = time.monotonic() - self._edited_at < MOVES_ON_S
                    self._edited_at = time.monotonic()
            self._wake.notify()
        if recipe is not None:
            self._describe(recipe)

    def _possible(self, heard: int) -> int:
        """Nobody can have heard what was not rendered yet."""
        return min(heard, self._audition.position)

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
        while True:
            with self._wake:
                self._wake.wait_for(self._something_to_do, timeout=self._patience())
                if self._closed:
                    return
                mail, found = self._take_mail()
            try:
                self._go_on(mail, found)
                self._failures = 0
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
            self._problem = None
        elif self._loop_to_render():
            self._audition.work_ahead(self._heard)
        elif not self._stuck:
            self._attend()
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

    def _patience(self) -> float | None:
        """How long to wait at most: for an edit that came too soon after the last, or for the hand to rest."""
        if self._mail:
            return REWIND_GAP_S
        return HAND_S if self._hand_moves() else None

    def _something_to_do(self) -> bool:
        busy = self._attending or self._loop_to_render()
        return self._closed or self._due() or self._may_render() or busy

    def _due(self) -> bool:
        if not self._mail:
            return False
        since_s = time.monotonic() - self._rewound
        if since_s >= LONGEST_REWIND_GAP_S or not set(self._mail) <= {Edit, EditChange, Touches}:
            return True
        return since_s >= (REWIND_GAP_S if self._plays() else STILL_GAP_S) and self._caught_up()

    def _caught_up(self) -> bool:
        """Whether enough of what is asked for ahead of the ear is there."""
        until, share = (self._audition.position, CAUGHT_UP) if self._moves_on else (self._sent, LEFT_AHEAD)
        return not self._may_render() or until - self._heard >= share * (self._credit - self._heard)

    def _take_mail(self) -> tuple[list[AnyMessage], dict[type[AnyMessage], Any]]:
        """What is to be done now, and the recipes and pieces that belong to it."""
        if not self._due():
            return [], {}
        mail, found = self._mail, self._found
        self._mail, self._found = {}, {}
        first = [mail.pop(kind) for kind in FIRST if kind in mail]
        return [*first, *mail.values()], found

    def _may_render(self) -> bool:
        audition = self._audition
        return (
            not self._stuck
            and audition.can_play
            and self._credit_epoch == audition.epoch
            and audition.position < self._wanted()
        )

    def _wanted(self) -> int:
        """Up to where to render, stream frames."""
        if not self._hand_moves():
            return self._credit
        return min(self._credit, self._taken_up + STILL_BLOCKS * self._audition.block_frames)

    def _hand_moves(self) -> bool:
        """Whether a hand moves while nothing plays."""
        return time.monotonic() - self._rewound < HAND_S and not self._plays()

    def _plays(self) -> bool:
        """Whether what is heard goes on."""
        return time.monotonic() - self._went_on <= STILL_S

    def _loop_to_render(self) -> bool:
        ahead = self._audition.ahead
        return not self._stuck and ahead is not None and ahead.progress < 1.0

    def _attend(self) -> None:
        """Look after what is kept at hand, where there is time for it."""
        self._attending = self._load.work < ROOM_FOR_SPARES and self._audition.attend(self._heard)

    def _look_at_load(self) -> None:
        news = self._load.look(self._audition)
        if news:
            self.say("work", heavy=news[0], progress=news[1])

    def _wish(self, mail: list[AnyMessage], found: dict[type[AnyMessage], Any]) -> None:
        """Bring all that was asked for together to the ear at once; what is refused leaves the rest alone."""
        if not mail:
            return
        audition, heard = self._audition, 0
        wanted = audition.wanted
        for message in mail:
            try:
                wanted = self._wished(wanted, message, found)
                # what waited is met where the ear is by now
                heard = max(heard, self._possible(message.heard), self._heard)
            except (KettleError, ValueError) as refused:
                self.tell(refused)
        following = drawn_from(wanted.other_name, wanted.recipe)
        if following is not None:
            wanted = audition.comparing(wanted, wanted.other_name, Piece(following, audition.sources))
        wanted = replace(wanted, silent=silent_lanes(wanted.recipe, self._listening))
        audition.want(wanted, heard)
        self._taken_up = audition.position

    def _wished(self, wanted: Wanted, message: AnyMessage, found: dict[type[AnyMessage], Any]) -> Wanted:
        audition = self._audition
        if isinstance(message, Edit | EditChange | Touches):
            self._rewound = time.monotonic()
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
            audition.set_loop(loop, self._possible(message.heard))
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
        if self._credit_epoch != audition.epoch:
            # what a player grants before it has heard of the new epoch is meant for the old one
            self._credit_epoch, self._credit = audition.epoch, audition.position + 4 * audition.block_frames
            self._sent = audition.position

    def _render(self) -> None:
        with self._load.measured(self._audition):
            played = self._audition.render()
        known_db = (self._gains_db.get(self._audition.other_name), self._gains_db.get("now"))
        if self._count % MATCH_EVERY == 0:
            self._match = estimate_match(*self._audition.running_lufs(), *known_db)
        self._count += 1
        near = estimate_match(*self._audition.near_lufs(), *known_db)
        played.meters["match"] = self._match and self._match.document()
        played.meters["near"] = near and near.document()
        self.send(pack(played, self._load.of_time))
        self._sent = max(self._sent, self._audition.position)
