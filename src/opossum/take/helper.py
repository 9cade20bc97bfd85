"""A helper process that opens a saved take while this process is still loading Qt.

Opening a small take costs less than loading Arrow, which opens it; the helper does both on another processor.
What it hands over comes from our own code and is trusted as such.  Whoever asks and gets nothing opens the take
itself, and so learns what is wrong with it.  This module loads nothing but the standard library.
"""

from __future__ import annotations

import os
import sys
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from opossum.take.take import Take

LARGEST_BYTES = 64 << 20
"""Larger takes are not handed over: copying them would cost more than the helper saves."""

RUN = "import gc, sys; gc.disable(); from opossum.take.handover import hand_over; hand_over(sys.argv[1])"


class Helper:
    """A process that opens one `.take` file for us."""

    def __init__(self, path: str) -> None:
        self._memory = os.memfd_create("opossum-handover")
        # without site: where modules are is told, and looking for it would cost as much as opening
        arguments = [sys.executable, "-S", "-c", RUN, path]
        quiet = [(os.POSIX_SPAWN_OPEN, number, os.devnull, os.O_RDWR, 0) for number in (0, 2)]
        try:
            self._process = os.posix_spawn(
                sys.executable,
                arguments,
                os.environ | {"PYTHONPATH": os.pathsep.join(filter(None, sys.path))},
                file_actions=[*quiet, (os.POSIX_SPAWN_DUP2, self._memory, 1)],
            )
        except OSError:
            os.close(self._memory)
            raise

    def take(self) -> Take | None:
        """Wait for the take; None if the helper could not open it."""
        try:
            _, status = os.waitpid(self._process, 0)
            if status:
                return None
            from opossum.take.handover import unpacked

            return unpacked(self._memory)[0]
        except (OSError, ValueError, KeyError, TypeError):
            return None
        finally:
            os.close(self._memory)


def helper_for(paths: list[str]) -> Helper | None:
    """Return a helper at work on the take named, or None where one would not help."""
    try:
        if len(paths) != 1 or not paths[0].endswith(".take") or os.path.getsize(paths[0]) > LARGEST_BYTES:
            return None
        return Helper(paths[0])
    except OSError:
        return None
