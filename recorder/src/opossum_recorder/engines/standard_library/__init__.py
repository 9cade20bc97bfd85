"""Delays of Python's own library: `threading.Timer` and asyncio."""
