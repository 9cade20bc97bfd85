"""A process of its own that opens a saved take, with bounds on what it may use.

A take is untrusted input, and what decodes it is a large library.  What needs more memory, time or files than a take of its
size could is ended by the system, and told as such; this process only takes over finished arrays.  The desk begins with it
while it is still loading Qt: opening a small take costs less than loading what opens it.

What the helper hands over comes from our own code and is trusted as such.  This module loads nothing but the standard library.
"""

from __future__ import annotations

import json
import os
import signal
import sys
import time
from collections.abc import Callable
from importlib import import_module
from typing import TYPE_CHECKING

from opossum.take.bounds import NO_MEMORY, REFUSED
from opossum.words import tr

if TYPE_CHECKING:
    from opossum.take.take import Take

HELPER_PROCESS = "opossum.take.helper_process"
RUN = f"import gc, sys; gc.disable(); from {HELPER_PROCESS} import hand_over; hand_over(sys.argv[1])"
LOOK_S = 0.002, 0.05
"""How often is looked whether the helper has ended, at first and at most."""


class Helper:
    """A process that opens one `.take` file for us."""

    def __init__(self, path: str) -> None:
        """Begin at once: as a copy of this process, which has loaded much of what is needed, where it runs one thread.

        Raises:
            OSError: no process can be begun.
        """
        self._path = path
        self._memory = os.memfd_create("opossum-handover")
        try:
            self._process = self._forked() if _runs_one_thread() else self._spawned()
        except OSError:
            os.close(self._memory)
            raise

    def _spawned(self) -> int:
        # without site: where modules are is told, and looking for it would cost as much as opening
        arguments = [sys.executable, "-S", "-c", RUN, self._path]
        quiet = [(os.POSIX_SPAWN_OPEN, number, os.devnull, os.O_RDWR, 0) for number in (0, 2)]
        return os.posix_spawn(
            sys.executable,
            arguments,
            os.environ | {"PYTHONPATH": os.pathsep.join(filter(None, sys.path)), "OPENBLAS_NUM_THREADS": "1"},
            file_actions=[*quiet, (os.POSIX_SPAWN_DUP2, self._memory, 1)],
        )

    def _forked(self) -> int:
        process = os.fork()
        if process:
            return process
        # the copy never gets back to what its original was doing
        try:
            nothing = os.open(os.devnull, os.O_RDWR)
            for number, file in ((0, nothing), (1, self._memory), (2, nothing)):
                os.dup2(file, number)
            os.closerange(3, os.sysconf("SC_OPEN_MAX"))  # files of the original's count against the copy's bounds
            import_module(HELPER_PROCESS).hand_over(self._path)
        finally:
            os._exit(1)

    def take(self, waiting: Callable[[], None] | None = None) -> Take:
        """Wait for the take; `waiting` is called meanwhile, and ends it all by raising.

        Raises:
            TakeError: the take is refused, or needed more than it may.
        """
        try:
            status = self._ended(waiting)
            if status:
                from opossum.take.take_error import TakeError

                raise TakeError(self._path, self._why(status))
            from opossum.take.handover import unpacked

            return unpacked(self._memory)[0]
        finally:
            os.close(self._memory)

    def _ended(self, waiting: Callable[[], None] | None) -> int:
        """Return how the process ended: its status, or less than 0 for the signal that ended it."""
        if waiting is None:
            return os.waitstatus_to_exitcode(os.waitpid(self._process, 0)[1])
        pause, most = LOOK_S
        while True:
            ended, status = os.waitpid(self._process, os.WNOHANG)
            if ended:
                return os.waitstatus_to_exitcode(status)
            try:
                waiting()
            except BaseException:
                os.kill(self._process, signal.SIGKILL)
                os.waitpid(self._process, 0)
                raise
            time.sleep(pause)
            pause = min(2 * pause, most)

    def _why(self, status: int) -> str:
        if status == REFUSED:
            size = os.lseek(self._memory, 0, os.SEEK_END)
            return str(json.loads(os.pread(self._memory, size, 0)))
        if status in (NO_MEMORY, -signal.SIGXFSZ):
            return tr("opening it needs more memory than a take of its size could; it was not opened")
        if status == -signal.SIGXCPU:
            return tr("opening it takes longer than a take of its size could; it was not opened")
        if status == -signal.SIGKILL:
            return tr("the process that opened it was killed; this machine may have too little memory left: try again")
        return tr(
            "the process that opened it ended by itself (status {status}); it is damaged, and was not opened",
            status=status,
        )


def _runs_one_thread() -> bool:
    """Say whether this process may be copied: of a copy, only the thread that made it would go on."""
    return len(os.listdir("/proc/self/task")) == 1


def helper_for(paths: list[str]) -> Helper | None:
    """Return a helper at work on the take named; None where something else is named.

    It costs least where it is asked for once NumPy is loaded and before there is a second thread.
    """
    try:
        if len(paths) == 1 and paths[0].endswith(".take") and os.path.isfile(paths[0]):
            return Helper(paths[0])
    except OSError:
        pass
    return None
