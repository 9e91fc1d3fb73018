"""Figures as an engineer would say them."""

import pytest

from tin_kettle.core.stages import number_text


@pytest.mark.parametrize(
    ("said", "wanted"),
    [
        (number_text.hz(28), "28 Hz"),
        (number_text.hz(3440), "3.44 kHz"),
        (number_text.hz(12000), "12 kHz"),
        (number_text.db(1.6), "+1.6 dB"),
        (number_text.db(-3), "−3 dB"),
        (number_text.db(-0.01), "0 dB"),
        (number_text.db(2.04, signed=False), "2 dB"),
        (number_text.ms(25), "25 ms"),
        (number_text.ms(1500), "1.5 s"),
        (number_text.bare(1.7), "1.7"),
        (number_text.bare(100), "100"),
    ],
)
def test_words(said, wanted):
    assert said == wanted
