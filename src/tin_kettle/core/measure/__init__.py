"""Measurements as the standards say, streaming: the same code serves a file, a survey and the live gauges."""
