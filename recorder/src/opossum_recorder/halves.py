"""Which half of two the recorder has: the one in C where it was built for this interpreter, else the one in Python.

OPOSSUM_PURE in the environment asks for those in Python.
"""

from __future__ import annotations

import os
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from opossum_recorder.inner import Call, Inner, Sample
    from opossum_recorder.loop_turns import LoopTurns
    from opossum_recorder.thread_times import ThreadTimes
    from opossum_recorder.watched_frames import FrameContext
else:
    try:
        if os.environ.get("OPOSSUM_PURE"):
            raise ImportError
        from opossum_recorder._inner import Call, FrameContext, Inner, LoopTurns, Sample
    except ImportError:
        from opossum_recorder.inner import Call, Inner, Sample
        from opossum_recorder.loop_turns import LoopTurns
        from opossum_recorder.watched_frames import FrameContext
    try:
        if os.environ.get("OPOSSUM_PURE"):
            raise ImportError
        from opossum_recorder._thread_times import ThreadTimes
    except ImportError:
        from opossum_recorder.thread_times import ThreadTimes

__all__ = ["Call", "FrameContext", "Inner", "LoopTurns", "Sample", "ThreadTimes"]
