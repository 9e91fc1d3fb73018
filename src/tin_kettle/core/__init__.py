"""Computation and the rules of the job: no web, no database. Usable as a library.

Packages stand on each other in this order: ``dsp``, ``measure``, ``stages``, ``recipe``, ``engine``, then
``listen``, ``survey``, ``record``, ``deliver`` and ``batch``. Files that are written are prints, and documents that
belong to them.
"""
