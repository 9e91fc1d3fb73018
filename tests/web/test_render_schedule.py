"""When an edit is taken up and how far ahead is rendered, by a clock of the test's own."""

from dataclasses import replace

import pytest

from tests.conftest import RATE_HZ, Clock, recipe_of, tone
from tin_kettle.core.engine.live.audition import Audition
from tin_kettle.core.engine.source import ArraySource
from tin_kettle.web import render_schedule as of_pace
from tin_kettle.web.render_schedule import (
    CAUGHT_UP,
    CUSHION_S,
    GROWS,
    LEFT_AHEAD,
    LONGEST_REWIND_GAP_S,
    MOST_AHEAD_S,
    MOVES_ON_S,
    REST_S,
    REWIND_GAP_S,
    STILL_GAP_S,
    RenderSchedule,
)

GRANTED = 9600
BLOCK = 1024


@pytest.fixture
def clock(monkeypatch):
    clock = Clock()
    monkeypatch.setattr(of_pace, "time", clock)
    return clock


@pytest.fixture
def playing(clock):
    """A pace whose ear goes on, with all rendered that was asked for."""
    audition = Audition(recipe_of(), {"mix": ArraySource(tone(1000, -12, 10), RATE_HZ)})
    pace = RenderSchedule(audition)
    pace.grant(0, GRANTED, 0)
    render(pace)
    pace.grant(0, GRANTED + 1, 1)
    return audition, pace


def render(pace, share=1.0):
    audition = pace._audition
    while pace.lacks() and audition.position - pace.heard < share * GRANTED:
        audition.render()
    pace.gave()


def fill(pace):
    while pace.lacks():
        pace._audition.render()
    pace.gave()


def rewind(pace, gain_db):
    """What an edit does that is taken up."""
    audition = pace._audition
    pace.rewinds()
    recipe = recipe_of({"kind": "trim", "params": {"gain_db": gain_db}})
    audition.want(replace(audition.listening, recipe=recipe), pace.heard)
    pace.rewound()


def test_no_more_is_rendered_than_there_is_room_for_or_six_seconds(clock, playing):
    audition, pace = playing
    assert not pace.lacks() and GRANTED < audition.position < GRANTED + 2 * BLOCK
    pace.grant(0, 100 * RATE_HZ, 1)
    while pace.lacks():
        audition.render()
    most = 1 + MOST_AHEAD_S * RATE_HZ
    assert most <= audition.position < most + BLOCK


def test_far_from_the_ear_is_rendered_only_while_the_hand_rests(clock, playing):
    audition, pace = playing
    pace.grant(0, 5 * RATE_HZ, 1, near=GRANTED)
    fill(pace)
    assert audition.position < RATE_HZ and pace.has_room()
    pace.edited()
    rewind(pace, -6)
    fill(pace)
    assert not pace.lacks() and not pace.has_room(), "what lies far ahead would be thrown away by the next move"
    assert 0.0 < pace.patience_s(waits=False) <= REST_S
    # a second and a half each second: all at once, the page would have to wait
    clock.now_s += REST_S + 1.0
    assert pace.has_room()
    while pace.has_room():
        audition.render_far()
    assert CUSHION_S + GROWS <= audition.position / RATE_HZ < CUSHION_S + GROWS + 0.2
    clock.now_s += 5.0 / GROWS
    while pace.has_room():
        audition.render_far()
    assert audition.position >= 5 * RATE_HZ and pace.patience_s(waits=False) is None
    pace.edited()
    clock.now_s += STILL_GAP_S
    assert pace.is_due(renders=False), "however far ahead the old sound reaches"


def test_where_little_is_left_ahead_a_moving_hand_waits_for_new_sound(clock, playing):
    """A hand that moves for long uses up what was rendered far ahead; then each edit waits, and nothing breaks."""
    _, pace = playing
    pace.grant(0, 5 * RATE_HZ, 1, near=GRANTED, playing=True)
    fill(pace)
    pace.grant(0, 5 * RATE_HZ, GRANTED, near=2 * GRANTED, playing=True)
    pace.edited()
    rewind(pace, -6)
    clock.now_s += REWIND_GAP_S
    pace.edited()
    assert pace._sent - pace.heard < CUSHION_S * RATE_HZ
    assert not pace.is_due(renders=True), "only old sound lies ahead, and little of it"
    clock.now_s += LONGEST_REWIND_GAP_S
    assert not pace.is_due(renders=True)
    fill(pace)
    assert pace.is_due(renders=True)


def test_nobody_has_heard_what_was_not_rendered(playing):
    audition, pace = playing
    pace.grant(0, GRANTED, 50 * RATE_HZ)
    assert pace.heard == audition.position


def test_what_is_granted_for_before_a_seek_is_void(playing):
    audition, pace = playing
    audition.seek(96000)
    assert not pace.lacks()
    pace.follow()
    until = audition.position + 4 * BLOCK
    while pace.lacks():
        audition.render()
    assert audition.position == until
    assert not pace.grant(0, until + GRANTED, 5) and not pace.lacks()
    assert pace.grant(1, until + GRANTED, until) and pace.lacks()


def test_an_edit_alone_waits_for_the_gap_and_no_more(clock, playing):
    _, pace = playing
    pace.edited()
    rewind(pace, -6)
    assert not pace.is_due(renders=pace.lacks())
    clock.now_s += REWIND_GAP_S
    # hardly anything of the new sound is there, but of the old one enough lies ahead
    assert pace.lacks() and pace.is_due(renders=True)


def test_it_waits_where_little_lies_ahead_of_the_ear(clock, playing):
    _, pace = playing
    far = round((1.0 - LEFT_AHEAD) * GRANTED) + BLOCK
    pace.grant(0, GRANTED + far, far)
    pace.edited()
    rewind(pace, -6)
    clock.now_s += REWIND_GAP_S
    assert not pace.is_due(renders=True)
    # whoever cannot render gains nothing by waiting
    assert pace.is_due(renders=False)
    render(pace)
    assert pace.is_due(renders=True)


def test_a_hand_that_moves_on_waits_until_its_last_edit_has_caught_up(clock, playing):
    _, pace = playing
    for _ in range(2):
        clock.now_s += MOVES_ON_S - 0.01
        pace.edited()
    rewind(pace, -7)
    clock.now_s += REWIND_GAP_S
    render(pace, CAUGHT_UP - 0.15)
    assert not pace.is_due(renders=True)
    render(pace, CAUGHT_UP + 0.15)
    assert pace.is_due(renders=True)


def test_nothing_waits_for_longer_than_the_longest(clock, playing):
    _, pace = playing
    for _ in range(2):
        pace.edited()
    rewind(pace, -6)
    clock.now_s += LONGEST_REWIND_GAP_S - 0.01
    assert not pace.is_due(renders=True)
    clock.now_s += 0.02
    assert pace.is_due(renders=True)


def test_where_nothing_plays_a_moving_hand_is_followed_by_two_blocks(clock, playing):
    audition, pace = playing
    clock.now_s += 1.0
    rewind(pace, -6)
    begun = audition.position
    render(pace)
    assert audition.position == begun + 2 * BLOCK
    clock.now_s += REWIND_GAP_S
    assert not pace.is_due(renders=False), "the picture has time"
    clock.now_s += STILL_GAP_S - REWIND_GAP_S
    assert pace.is_due(renders=False)
    assert pace.patience_s(waits=False) == pytest.approx(0.15)
    clock.now_s += 0.1
    # the hand rests: all that is asked for
    render(pace)
    assert audition.position >= GRANTED and pace.patience_s(waits=False) is None
