"""Where a thread is: its Python stack as text."""

from __future__ import annotations

import os
import sys


def stack_of(thread_id: int, limit: int = 40) -> list[str]:
    """Return the Python stack of a thread as `function file:line`, innermost first."""
    frame = sys._current_frames().get(thread_id)
    stack: list[str] = []
    while frame is not None and len(stack) < limit:
        code = frame.f_code
        stack.append(f"{code.co_qualname} {os.path.basename(code.co_filename)}:{frame.f_lineno}")
        frame = frame.f_back
    return stack
