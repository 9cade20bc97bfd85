"""Where a thread is: its Python stack as text, the game's own lines of it."""

from __future__ import annotations

import os
import sys
from types import TracebackType

from opossum_recorder.game_code import LIBRARIES, is_games_own

LIMIT = 40
_OURS = ("opossum_recorder", "opossum_commands")
_LAUNCHERS = ("click", "coverage", "_pytest", "pluggy")
"""Packages among the libraries that start or watch a game and are no part of it."""
_STARTERS = ("<frozen runpy>", "<frozen importlib", "runpy.py")


def stack_of(thread_id: int, limit: int = LIMIT) -> list[str]:
    """Return the Python stack of a thread as `function file:line`, innermost first.

    Who launches and records the game is left out, and so are libraries and the engine at either end: the innermost line is
    the game's, where any is.  A game that lies among the libraries is told with them.
    """
    frame = sys._current_frames().get(thread_id)
    told: list[tuple[str, bool]] = []
    while frame is not None and len(told) < 10 * limit:
        code = frame.f_code
        if not is_launcher(code.co_filename):
            name = getattr(code, "co_qualname", code.co_name)  # Python 3.10 knows the plain name only
            line = f"{name} {os.path.basename(code.co_filename)}:{frame.f_lineno}"
            told.append((line, is_games_own(code.co_filename)))
        frame = frame.f_back
    own = [place for place, (_, games) in enumerate(told) if games]
    if own:
        told = told[own[0] : own[-1] + 1]
    return [line for line, _ in told[:limit]]


def games_own(trace: TracebackType | None, error: BaseException | None = None) -> TracebackType | None:
    """Return a traceback without who launches and records the game, whole if nothing else is in it: but for a script
    that cannot be compiled, of which it tells nothing.
    """
    lines = []
    at = trace
    while at is not None:
        if not is_launcher(at.tb_frame.f_code.co_filename):
            lines.append(at)
        at = at.tb_next
    own: TracebackType | None = None
    for line in reversed(lines):
        own = TracebackType(own, line.tb_frame, line.tb_lasti, line.tb_lineno)
    return own or (None if isinstance(error, SyntaxError) else trace)


def is_launcher(path: str) -> bool:
    """Say whether a source file belongs to who launches, watches or records a game."""
    if path.startswith(_STARTERS) or path.endswith(os.sep + "runpy.py"):
        return True
    parts = path.replace(os.sep, "/").split("/")
    launchers = _LAUNCHERS if path.startswith(LIBRARIES) else ()
    return any(name in parts for name in (*_OURS, *launchers))
