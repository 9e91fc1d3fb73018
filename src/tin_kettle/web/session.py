"""What is said over the live socket: one session a bench, a little ahead of the ear, rewound when a control moves.

In (JSON): ``credit`` {position, epoch, heard}, ``edit`` {recipe, revision, heard}, ``seek`` {song}, ``loop`` {loop,
heard}, ``tap`` {stage, tap, heard}, ``choose`` {stage}, ``compare`` {other, heard}, ``hand`` {others} to be kept at
hand for comparing, ``gains`` {gains_db} for equal loudness, as far as surveys know them, ``listen`` {listening, lufs,
heard}. Positions are stream frames, songs are song frames; ``lufs`` is the loudness of now and the other, for a service
that turns songs down. What came together is done together: the sound is taken up again once for all of it.
Out: ``hello``, ``problem``, ``described`` {stages} with what an edit changed of summaries and pictures, and ``work``
{heavy, progress} as JSON, blocks as binary (:func:`pack`); a chain is heavy where it can't be rendered as it plays, and
``progress`` is that of its loop, null without one.
"""

from __future__ import annotations

import json
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
from tin_kettle.core.recipe.reading import parse_recipe
from tin_kettle.core.stages.stage import Stage
from tin_kettle.web.others import CHAIN
from tin_kettle.web.wire import pack

BOOT = secrets.token_hex(8)
MOST_AHEAD_S = 1.0
"""However much credit is asked for, no more than this is rendered ahead."""
REWIND_GAP_S = 0.04
"""Edits are heard no more often than this, heavy chains' less often: what a rewind throws away must be caught up."""
REWIND_GAP_OF_LOAD_S = 0.3
HEAVY, LIGHT = 0.9, 0.6
"""Share of the time there is from which a chain is too heavy to render as it plays, and below which it is not."""
SLOWEST = 2.0
"""More than this one block does not count: a kernel that is loaded once makes no chain heavy."""
ROOM_FOR_SPARES = 0.35
TOLD_STEP = 0.05
MATCH_EVERY = 8
TAPS = ("result", "removed", "detector")
WISHES = ("edit", "tap", "compare", "listen")
"""Messages that say what is to be heard."""
WITHOUT = "without:"


class Session:
    """One listener: messages come in on the handler's thread, blocks go out from another."""

    def __init__(
        self,
        audition: Audition,
        send: Callable[[bytes | str], None],
        find_piece: Callable[[str, Recipe], Piece] | None = None,
    ) -> None:
        self._audition = audition
        self._find_piece = find_piece
        self._send_raw = send
        self._send_lock = threading.Lock()
        self._wake = threading.Condition()
        self._mail: dict[str, dict[str, Any]] = {}
        self._credit = 0
        self._credit_epoch = audition.epoch
        self._heard = 0
        self._closed = False
        self._load = 0.0
        self._work = 0.0
        self._rewound = 0.0
        self._heavy = False
        self._at_hand: dict[str, Piece | None] = {}
        self._listening = Listening()
        # files are opened and converted beside the rendering, one after the other
        self._opener = ThreadPoolExecutor(1, "open")
        self._asked: dict[str, int] = {}
        self._gains_db: dict[str, float] = {}
        self._match: Match | None = None
        self._count = 0
        self._described: dict[str, Stage] = {}
        self._told: tuple[bool, float | None] = (False, None)
        self._attending = True

    def send(self, data: bytes | str) -> None:
        """The socket library does not lock: two threads may not send at once."""
        with self._send_lock:
            self._send_raw(data)

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
        """Take a message in; the last of each kind counts."""
        try:
            message = json.loads(text)
            kind = message["type"]
        except (ValueError, KeyError, TypeError):
            self.say("problem", problem="a message could not be read; reload the bench")
            return
        if kind == "edit":
            try:
                message["recipe"] = parse_recipe(message["recipe"])
            except (KettleError, KeyError) as refused:
                self.say("problem", problem=str(refused))
                return
        if kind in ("compare", "hand"):
            self._asked[kind] = self._asked.get(kind, 0) + 1
            self._opener.submit(self._open, message, self._asked[kind])
            return
        with self._wake:
            if kind == "credit":
                if int(message["epoch"]) < self._credit_epoch:
                    return  # meant for what was played before a seek
                most = self._audition.position + round(MOST_AHEAD_S * self._audition.rate_hz)
                self._credit, self._credit_epoch = min(int(message["position"]), most), int(message["epoch"])
                self._heard = int(message.get("heard", 0))
                self._attending = True
            else:
                self._mail[kind] = message
            self._wake.notify()
        if kind == "edit":
            self._describe(message["recipe"])

    def _open(self, message: dict[str, Any], number: int) -> None:
        """Find what is to be compared, and put it into the mail; what was asked for since makes it void."""
        kind = message["type"]
        try:
            if kind == "compare":
                message["piece"] = self._piece(str(message["other"]))
            else:
                message["pieces"] = self._pieces([str(name) for name in message["others"]])
        except KettleError as refused:
            self.say("problem", problem=str(refused))
            return
        except (KeyError, TypeError) as wrong:
            self.say("problem", problem=f"a message was not understood ({wrong}); reload the bench")
            return
        except (ConnectionClosed, OSError):
            return
        with self._wake:
            if self._asked[kind] == number:
                self._mail[kind] = message
                self._wake.notify()

    def _piece(self, name: str) -> Piece | None:
        """What a name stands for; None for the song as received, and for what follows every edit."""
        if name == "received" or name.startswith(WITHOUT) or self._find_piece is None:
            return None
        return self._at_hand.get(name) or self._find_piece(name, self._audition.recipe)

    def _pieces(self, names: list[str]) -> dict[str, Piece | None]:
        pieces: dict[str, Piece | None] = {}
        for name in names:
            if name.startswith(WITHOUT):
                continue
            try:
                pieces[name] = self._piece(name)
            except KettleError:
                continue  # gone meanwhile; comparing with it will say so
        return pieces

    def _describe(self, recipe: Recipe) -> None:
        """Draw what an edit changed, on the listening thread: a curve follows the hand while the sound is rendered."""
        stages = {stage.id: stage for stage in recipe.stages()}
        changed = [stage for stage in stages.values() if self._described.get(stage.id) != stage]
        self._described = stages
        if changed:
            pictures = {stage.id: describe_stage(stage, self._audition.rate_hz) for stage in changed}
            self.send(orjson.dumps({"type": "described", "stages": pictures}).decode())

    def run(self) -> None:
        """Render as credit allows until closed."""
        while True:
            with self._wake:
                self._wake.wait_for(self._something_to_do, timeout=self._patience())
                if self._closed:
                    return
                mail = self._take_mail()
            try:
                self._wish([message for message in mail if message["type"] in WISHES])
                for message in mail:
                    if message["type"] not in WISHES:
                        self._obey(message)
                if self._may_render():
                    self._render()
                elif self._loop_to_render():
                    self._audition.work_ahead(self._heard)
                else:
                    self._attend()
                self._look_at_load()
            except KettleError as refused:
                self.say("problem", problem=str(refused))
            except (KeyError, TypeError, ValueError) as wrong:
                self.say("problem", problem=f"a message was not understood ({wrong}); reload the bench")
            except (ConnectionClosed, OSError):
                return

    def _patience(self) -> float | None:
        """How long to wait at most: an edit that came too soon after the last is due then."""
        return REWIND_GAP_S if self._mail else None

    def _something_to_do(self) -> bool:
        busy = self._attending or self._loop_to_render()
        return self._closed or self._due() or self._may_render() or busy

    def _due(self) -> bool:
        if not self._mail:
            return False
        gap_s = max(REWIND_GAP_S, REWIND_GAP_OF_LOAD_S * min(self._work, 1.0))
        return set(self._mail) != {"edit"} or time.monotonic() - self._rewound >= gap_s

    def _take_mail(self) -> list[dict[str, Any]]:
        if not self._due():
            return []
        order = ("choose", *WISHES, "loop", "seek", "hand", "gains")
        mail = [self._mail[kind] for kind in order if kind in self._mail]
        unknown = [kind for kind in self._mail if kind not in order]
        self._mail.clear()
        return mail if not unknown else [*mail, {"type": unknown[0]}]

    def _may_render(self) -> bool:
        audition = self._audition
        return audition.can_play and self._credit_epoch == audition.epoch and audition.position < self._credit

    def _loop_to_render(self) -> bool:
        ahead = self._audition.ahead
        return ahead is not None and ahead.progress < 1.0

    def _attend(self) -> None:
        """Look after what is kept at hand, where there is time for it."""
        self._attending = self._work < ROOM_FOR_SPARES and self._audition.attend(self._heard)

    def _look_at_load(self) -> None:
        """Go over to rendering ahead where the chain is too heavy, and back where it is not; say so."""
        audition, ahead = self._audition, self._audition.ahead
        if ahead is not None and ahead.ready and ahead.progress == 1.0:
            self._load = self._work = ahead.load
            if self._work < LIGHT:
                audition.come_back()
        if self._work > HEAVY:
            self._heavy = True
        elif self._work < LIGHT:
            self._heavy = False
        if self._heavy and audition.ahead is None and audition.loop is not None:
            audition.go_ahead()
        ahead = audition.ahead
        work = self._heavy, None if ahead is None else ahead.progress
        if work[0] != self._told[0] or _apart(work[1], self._told[1]):
            self._told = work
            self.say("work", heavy=work[0], progress=work[1])

    def _wish(self, mail: list[dict[str, Any]]) -> None:
        """Bring all that was asked for together to the ear at once; what is refused leaves the rest alone."""
        if not mail:
            return
        audition, heard = self._audition, 0
        wanted = audition.wanted
        for message in mail:
            try:
                wanted = self._wished(wanted, message)
                heard = max(heard, int(message["heard"]))
            except KettleError as refused:
                self.say("problem", problem=str(refused))
            except (KeyError, TypeError, ValueError) as wrong:
                self.say("problem", problem=f"a message was not understood ({wrong}); reload the bench")
        if wanted.other_name.startswith(WITHOUT):
            left_out = wanted.other_name.removeprefix(WITHOUT)
            recipe = wanted.recipe.without(None if left_out == CHAIN else left_out)
            wanted = audition.comparing(wanted, wanted.other_name, Piece(recipe, audition.sources))
        wanted = replace(wanted, silent=silent_lanes(wanted.recipe, self._listening))
        audition.want(wanted, heard)

    def _wished(self, wanted: Wanted, message: dict[str, Any]) -> Wanted:
        kind, audition = message["type"], self._audition
        if kind == "edit":
            self._rewound = time.monotonic()
            audition.check(message["recipe"])
            return replace(wanted, recipe=message["recipe"], revision=int(message["revision"]))
        if kind == "tap":
            if message["tap"] not in TAPS:
                raise ValueError(f"tap {message['tap']!r}")
            return replace(wanted, tap=(message["stage"], message["tap"]))
        if kind == "compare":
            name = str(message["other"])
            if name.startswith(WITHOUT):
                return replace(wanted, other_name=name)
            return audition.comparing(wanted, name, message["piece"])
        self._listening = parse_listening(message["listening"])
        now, other = (Monitor(self._listening, audition.rate_hz, turn_down_db(lufs)) for lufs in message["lufs"])
        return replace(wanted, ears=(now, other))

    def _obey(self, message: dict[str, Any]) -> None:
        kind, audition = message["type"], self._audition
        if kind == "loop":
            loop = message["loop"]
            audition.set_loop(None if loop is None else (int(loop[0]), int(loop[1])), int(message["heard"]))
        elif kind == "seek":
            audition.seek(int(message["song"]))
        elif kind == "choose":
            audition.choose(message["stage"])
        elif kind == "gains":
            self._gains_db = {str(name): float(gain_db) for name, gain_db in message["gains_db"].items()}
        elif kind == "hand":
            self._at_hand = message["pieces"]
            audition.keep_at_hand(self._at_hand)
            self._attending = True
        else:
            raise ValueError(f"type {kind!r}")
        if self._credit_epoch != audition.epoch:
            # what a player grants before it has heard of the new epoch is meant for the old one
            self._credit_epoch, self._credit = audition.epoch, audition.position + 4 * audition.block_frames

    def _render(self) -> None:
        began, began_work = time.perf_counter(), time.thread_time()
        played = self._audition.render()
        if self._audition.ahead is None:
            a_second = self._audition.rate_hz / self._audition.block_frames
            self._load += 0.1 * ((time.perf_counter() - began) * a_second - self._load)
            # what others do to the machine does not make a chain heavy
            work = min((time.thread_time() - began_work) * a_second, SLOWEST)
            self._work += 0.1 * (work - self._work)
        if self._count % MATCH_EVERY == 0:
            known_db = (self._gains_db.get(self._audition.other_name), self._gains_db.get("now"))
            self._match = estimate_match(*self._audition.running_lufs(), *known_db)
        self._count += 1
        played.meters["match"] = self._match and self._match.document()
        self.send(pack(played, self._load))


def _apart(progress: float | None, told: float | None) -> bool:
    """Whether a progress is worth telling."""
    if progress is None or told is None:
        return progress is not told
    return abs(progress - told) >= TOLD_STEP or (progress == 1.0) != (told == 1.0)
