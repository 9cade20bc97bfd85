"""The event-flow stream: its kinds of records, and reading and writing it.

May import NumPy and msgspec; knows nothing of takes or findings.
"""
