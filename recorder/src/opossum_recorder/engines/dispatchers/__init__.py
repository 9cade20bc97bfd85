"""Dispatchers that Python games share, whatever their engine: blinker, PyDispatcher, pypubsub."""
