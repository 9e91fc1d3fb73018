"""How the bench is listened to; nothing of it is ever part of a print.

Terms: *monitor* (band, speakers, channels), *loudness match* (what is louder goes down), *blind test*.
"""
