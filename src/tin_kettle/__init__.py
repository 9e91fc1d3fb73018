"""Tin Kettle: the mastering engineer's bench in a browser."""

__version__ = "0.1.0"
