"""The command line: one module a command, loaded when it is called.

Terms: *library folder* (where a library lies), *lazy commands* (help loads none of them).
"""
