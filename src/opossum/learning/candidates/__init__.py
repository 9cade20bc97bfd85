"""What a take suggests: each module yields sentences that held, or may have held, in it."""

from __future__ import annotations

from opossum.learning.candidates import causes, lives, order, times, windows

SOURCES = (causes.candidates, order.candidates, times.candidates, windows.candidates, lives.candidates)
"""All that suggests rules."""
