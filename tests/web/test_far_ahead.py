"""Sound far ahead of the ear: whatever is asked for, the ring holds the old or the new sound, and never nothing.

A session without threads, by a clock of the test's own: ten milliseconds a step, of so many turns of the machine.
"""

import json

import numpy as np
import pytest

from tests.conftest import RATE_HZ, Clock, recipe_of
from tests.web.test_session import Wire
from tin_kettle.core.engine.live.audition import Audition
from tin_kettle.core.engine.live.render_path import Piece
from tin_kettle.core.engine.source import ArraySource
from tin_kettle.core.recipe.reading import dump_recipe
from tin_kettle.web import render_schedule
from tin_kettle.web.session import Session

SECONDS = 60
LEVEL = 0.1
STEP_S = 0.01
STEP = round(STEP_S * RATE_HZ)
QUEUE = 9600
FAR = 5 * RATE_HZ
PREBUFFER = 1920
BLOCK_S = 1024 / RATE_HZ


def gain(db, more=0):
    stages = [{"id": "t", "kind": "trim", "params": {"gain_db": db}}]
    stages += [{"id": f"c{i}", "kind": "compressor", "params": {"ratio": 1, "lookahead_ms": 5}} for i in range(more)]
    return recipe_of(*stages)


class Listener:
    """The page's player, as far as it matters here: a ring an epoch, and where the ear is in it."""

    def __init__(self, monkeypatch):
        self.clock, self.wire = Clock(), Wire()
        monkeypatch.setattr(render_schedule, "time", self.clock)
        source = ArraySource(np.full((2, SECONDS * RATE_HZ), LEVEL), RATE_HZ)
        audition = Audition(gain(0.0), {"mix": source})
        versions = {"version:1": Piece(gain(-20.0), audition.sources)}
        self.session = Session(audition, self.wire, lambda name, _recipe: versions[name])
        # what is compared is opened on another thread, which a test does not wait for
        self.session._opener.submit = lambda call, *given: call(*given)
        self.rings, self.written = {0: np.zeros((2, (SECONDS + 20) * RATE_HZ))}, {0: 0}
        self.epoch, self.heard, self.playing = 0, 0, True
        self.revision, self.taken, self.holes = 0, 0, 0
        self.levels, self.newest = [], LEVEL
        self.debt = 0.0

    def say(self, **message):
        self.session.hear(json.dumps({"heard": self.heard, **message}))

    def edit(self, recipe):
        self.revision += 1
        self.say(type="edit", recipe=dump_recipe(recipe), revision=self.revision)
        self.newest = LEVEL * 10 ** (recipe.master[0].params.gain_db / 20)
        self.levels.append(self.newest)

    def turn(self):
        """One turn of the renderer; how many frames it rendered."""
        before = len(self.wire.blocks)
        self.session._go_on(*self.session._take_mail())
        for epoch, position, _song, _revision, audio, _told in self.wire.blocks[before:]:
            if epoch not in self.rings:
                self.rings[epoch] = np.zeros((2, (SECONDS + 20) * RATE_HZ))
                self.written[epoch] = position
            frames = audio.shape[1]
            late = max(0, self.heard - position) if epoch == self.epoch else 0
            self.rings[epoch][:, position + late : position + frames] = audio[:2, late:]
            self.written[epoch] = max(self.written[epoch], position + frames)
        return 1024 * (len(self.wire.blocks) - before)

    def step(self, speed=20.0):
        """Ten milliseconds, of a machine that renders so many times as fast as the sound goes."""
        self.clock.now_s += STEP_S
        self.say(type="credit", epoch=self.epoch, position=self.heard + FAR, near=self.heard + QUEUE)
        self.debt = min(self.debt + speed * STEP, speed * STEP + 4096)
        while self.debt > 0 and self.session._something_to_do():
            self.debt -= max(self.turn(), 64)
        newest = max(self.written)
        if newest > self.epoch and self.written[newest] - self.begun(newest) >= PREBUFFER:
            self.epoch, self.heard = newest, self.begun(newest)
        if self.playing:
            self.heard += STEP
            heard = self.rings[self.epoch][0, self.heard - STEP : self.heard]
            if self.heard > self.written[self.epoch] or not heard.all():
                self.holes += 1
            return heard
        return np.empty(0)

    def begun(self, epoch):
        return int(np.flatnonzero(self.rings[epoch][0])[0])

    def ahead_s(self):
        return (self.written[self.epoch] - self.heard) / RATE_HZ


@pytest.fixture
def listener(monkeypatch):
    made = Listener(monkeypatch)
    for _ in range(100):
        made.step()
    assert made.ahead_s() > 4.9, "at rest it is rendered five seconds ahead"
    made.holes = 0
    yield made
    made.session.close()


@pytest.mark.parametrize("seed", range(3))
def test_after_anything_the_ear_meets_the_old_or_the_new_sound_and_never_nothing(listener, seed):
    rng = np.random.default_rng(seed)
    listener.levels = [LEVEL]
    for _ in range(400):
        act = rng.random()
        speed = (0.3, 2.0, 20.0)[rng.integers(3)]
        if act < 0.15:
            listener.edit(gain(float(rng.uniform(-12, 6)), int(rng.integers(3))))
        elif act < 0.2:
            listener.say(type="compare", other=("received", "version:1")[rng.integers(2)])
        elif act < 0.22:
            listener.say(type="seek", song=int(rng.integers(40 * RATE_HZ)))
        elif act < 0.24:
            start = int(rng.integers(40 * RATE_HZ))
            listener.say(type="loop", loop=[None, [start, start + 96000]][rng.integers(2)])
        elif act < 0.27:
            listener.playing = not listener.playing
        heard = listener.step(speed)
        if heard.size:
            # between the levels of all states, as fades are
            assert min(listener.levels) * 0.999 <= heard.min() and heard.max() <= max(listener.levels) * 1.001
    assert listener.holes == 0
    # what lies ahead grows by a second and a half each second
    listener.playing = True
    for _ in range(400):
        listener.step()
    epoch, ring = listener.epoch, listener.rings[listener.epoch]
    ahead = ring[0, listener.heard : listener.written[epoch]]
    # in this test's time the song does not end
    np.testing.assert_allclose(ahead, listener.newest, rtol=1e-4)
    assert listener.ahead_s() > 4.5


def test_a_renderer_that_hardly_gets_on_for_three_seconds_leaves_no_hole(listener):
    for _ in range(300):
        listener.step(speed=0.1)
    assert listener.holes == 0 and listener.ahead_s() > 1.9
    for _ in range(60):
        listener.step()
    assert listener.ahead_s() > 4.9


def test_a_hand_that_moves_on_while_the_machine_is_slow_is_heard_later_and_never_broken(listener):
    for number in range(250):
        listener.edit(gain(-3.0 * (number % 3)))
        listener.step(speed=1.2)
    assert listener.holes == 0
    listener.edit(gain(-9.0))
    for _ in range(40):
        listener.step(speed=3.0)
    assert listener.rings[listener.epoch][0, listener.heard] == pytest.approx(listener.newest, rel=1e-4)


def test_states_far_ahead_are_few(listener):
    kept = [moment.position for moment in listener.session._audition._kept]
    assert len(kept) < 100
    assert min(kept) <= listener.heard - 1.3 * RATE_HZ or min(kept) == 0
    assert max(np.diff(kept)) <= 4096
