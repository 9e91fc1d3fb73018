"""A whole song looked at: what it is, what the recipe does to it, what was found, and what might be tried.

Terms: *survey*, *finding*, *change map* (level out minus level in, by time and frequency), *trial*.
"""
