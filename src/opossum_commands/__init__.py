"""The command line: each command a thin layer over what the core computes.

May import everything else; nothing imports it.  Modules of the core and the desk are imported inside the
commands that need them, so that `--help` answers at once.
"""
