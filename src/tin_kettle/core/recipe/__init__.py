"""The recipe: the document, how it is read and written, its automation, its words.

Terms: *recipe*, *automation* (values over the song), *held value* (in the hand, not yet kept), *document edit* (a
path and a value).
"""
