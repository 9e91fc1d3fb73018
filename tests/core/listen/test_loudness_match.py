"""Equal loudness: nothing goes up, and any two that are compared come out the same."""

import pytest

from tin_kettle.core.listen.loudness_match import estimate_match, match_all

LUFS = {"now": -13.0, "received": -17.5, "version:1": -12.2, "reference:1": -9.0, "silence": None}


def test_any_two_are_equally_loud_and_nothing_is_boosted():
    gains = match_all(LUFS)
    heard = [level + gains[name] for name, level in LUFS.items() if level is not None]
    assert heard == pytest.approx([-17.5] * 4)
    assert max(gains.values()) == 0
    assert gains["silence"] == 0
    assert match_all({"now": None}) == {"now": 0.0}


@pytest.mark.parametrize("other_db", [None, 0.0, -2.0, -30.0])
@pytest.mark.parametrize("now_db", [None, 0.0, -2.0, -30.0])
@pytest.mark.parametrize("difference", [-6.0, 0.0, 4.0])
def test_an_estimate_is_matched_whatever_is_known(difference, other_db, now_db):
    match = estimate_match(-20.0, -20.0 + difference, other_db, now_db)
    assert match.other_db - match.now_db == pytest.approx(difference)
    assert max(match.other_db, match.now_db) <= 0


def test_what_is_known_stays_where_it_can():
    assert estimate_match(-20, -16, -3, -9).other_db == -3
    assert estimate_match(-20, -16, None, -9).now_db == -9
    # now would have to be boosted: the other goes down instead
    assert estimate_match(-20, -26, -1, None).document() == {"other_db": -6, "now_db": 0}
    assert estimate_match(None, -16) is None
    assert estimate_match(-16, None) is None
