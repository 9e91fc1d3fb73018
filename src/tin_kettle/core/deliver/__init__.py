"""What leaves the house: prints, coded files, gapless songs, tags, checks, documents, listening pages.

Terms: *print* (the mastered song in a file), *spec* (what a finished file has to be), *delivery* (every song by
every spec), *document* (sheet, figures, cue sheet).
"""
