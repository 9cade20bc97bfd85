"""A night in which everything has a hostile name: control characters, turned writing, markup, line ends."""

from __future__ import annotations

from tape import Stage

HOSTILE = "\x1b[2J\x07\u202eevil\r\n\u2028\x9b31m<script>alert(1)</script>&\x7f"


def night(frames: int) -> bytes:
    """Return a stream in which everything has a hostile name, and something is wrong with most of it."""
    stage = Stage(game=HOSTILE, engine=HOSTILE, build=HOSTILE, host=HOSTILE)
    stage("spawn", o=f"{HOSTILE}#1", cls=HOSTILE)
    bound = stage.bind(HOSTILE, f"{HOSTILE}#1", HOSTILE, at=f"{HOSTILE}.py:3")
    again = stage.bind(HOSTILE, f"{HOSTILE}#1", HOSTILE)
    stage("say", text=HOSTILE, level="error", o=HOSTILE)
    stage("watch", o=HOSTILE, name=HOSTILE, v=HOSTILE)
    stage.each(lambda number: stage.heard(HOSTILE, bound, again, d={"to": HOSTILE}))
    stage.at(*range(20, frames - 20, 7), do=lambda: stage.send(f"near {HOSTILE}"))
    return stage.run(frames).bytes()
