"""The Moonrise Bakery: a small game without pictures, made to be recorded.

A frame-loop runtime of its own (`runtime`), a cast (`kitchen`, `shop`, `street`) and a night's play
(`night`).  Every fault in `faults` can be switched on by name; without any, the night is healthy.  It uses
the recorder as any game would, and nothing else of Opossum.
"""

from __future__ import annotations

from pathlib import Path


def demo_take_path() -> Path:
    """Return where the recorded night that ships with Opossum lies."""
    return Path(__file__).parent / "data" / "moonrise.take"
