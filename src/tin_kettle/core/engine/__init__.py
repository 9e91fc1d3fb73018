"""Sources, the graph, and what drives it: whole songs here, the ear in ``live``.

Terms: *source* (sound in pieces), *graph*, *passage* (a part of a song), *crossfade*.
"""
