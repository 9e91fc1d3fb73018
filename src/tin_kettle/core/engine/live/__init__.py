"""What drives the graph for the ear: a little ahead of it, taken back and rendered again when something changes.

Terms: *audition* (all of it), *render path* (a graph with its monitor and meters), *checkpoint* (the state before a
block), *standby path* (what may be compared at once).
"""
