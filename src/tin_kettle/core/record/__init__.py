"""A record: songs in an order, with gaps, fades and levels.

Terms: *record*, *layout* (how a song lies on it), *outlier* (a song that stands out of the others).
"""
