"""Numbers as an engineer would say them."""

from __future__ import annotations

MINUS = "−"


def hz(value: float) -> str:
    """``28 Hz``, ``3.4 kHz``."""
    return f"{value:.3g} Hz" if value < 1000 else f"{value / 1000:.3g} kHz"


def db(value: float, signed: bool = True) -> str:
    """``+1.6 dB`` with a real minus sign; one decimal, none where it is nought."""
    text = f"{abs(value):.1f}".removesuffix(".0")
    sign = MINUS if value < 0 and text != "0" else "+" if signed and text != "0" else ""
    return f"{sign}{text} dB"


def ms(value: float) -> str:
    """``25 ms``, ``1.5 s``."""
    return f"{value / 1000:.3g} s" if value >= 1000 else f"{value:.3g} ms"


def clock(seconds: float) -> str:
    """A time of the song: ``1:34``."""
    return f"{int(seconds) // 60}:{int(seconds) % 60:02}"


def bare(value: float) -> str:
    """A plain number without needless decimals."""
    return f"{value:.3g}"
