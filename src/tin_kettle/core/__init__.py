"""Computation only: no web, no database, no files but audio. Usable as a library."""
