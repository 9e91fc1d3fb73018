"""Benchmarks: ``make bench`` runs them all and writes ``docs/performance.md``."""
