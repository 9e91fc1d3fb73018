"""Figures as an engineer would say them."""

import pytest

from tin_kettle.core.stages import words


@pytest.mark.parametrize(
    ("said", "wanted"),
    [
        (words.hz(28), "28 Hz"),
        (words.hz(3440), "3.44 kHz"),
        (words.hz(12000), "12 kHz"),
        (words.db(1.6), "+1.6 dB"),
        (words.db(-3), "−3 dB"),
        (words.db(-0.01), "0 dB"),
        (words.db(2.04, signed=False), "2 dB"),
        (words.ms(25), "25 ms"),
        (words.ms(1500), "1.5 s"),
        (words.bare(1.7), "1.7"),
        (words.bare(100), "100"),
    ],
)
def test_words(said, wanted):
    assert said == wanted
