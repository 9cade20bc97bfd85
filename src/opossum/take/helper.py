"""A process of its own that opens a saved take, with bounds on what it may use.

A take is untrusted input, and what decodes it is a large library.  What needs more memory, time or files than a take of its
size could is ended by the system, and told as such; this process only takes over finished arrays.  The desk begins with it
while it is still loading Qt: opening a small take costs less than loading what opens it.

What the helper hands over comes from our own code and is trusted as such.  This module loads nothing but the standard library.
"""

from __future__ import annotations

import json
import math
import os
import signal
import sys
import time
from collections.abc import Callable
from importlib import import_module
from typing import TYPE_CHECKING, Any

from opossum.take.bounds import NO_MEMORY, REFUSED
from opossum.words import tr

if TYPE_CHECKING:
    from opossum.take.take import Take

HELPER_PROCESS = "opossum.take.helper_process"
RUN = f"import gc, sys; gc.disable(); from {HELPER_PROCESS} import hand_over; hand_over(*sys.argv[1:])"
ASK_S = 0.05
"""How often whoever waits is asked whether the take is still wanted."""
LEAST_LOOK_S, MOST_LOOK_S, LOOK_SHARE = 0.002, 0.05, 0.1
"""How often is looked whether the helper has ended: after a share of the time waited so far, within bounds."""


class Helper:
    """A process that opens one `.take` file for us."""

    def __init__(self, path: str, along: str = "") -> None:
        """Begin at once: as a copy of this process, which has loaded much of what is needed, where it runs one thread.

        Args:
            path: the file.
            along: ``module:function``; what the function returns of the take, there, is handed over along with it.

        Raises:
            OSError: no process can be begun.
        """
        self._path = path
        self._along = along
        self._status: int | None = None
        """How the process ended, see `os.waitstatus_to_exitcode`; None as long as it is not known to have."""
        self._memory = os.memfd_create("opossum-handover")
        try:
            self._process = self._forked() if _runs_one_thread() else self._spawned()
        except OSError:
            os.close(self._memory)
            raise

    def _spawned(self) -> int:
        # without site: where modules are is told, and looking for it would cost as much as opening
        arguments = [sys.executable, "-S", "-c", RUN, self._path, self._along]
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
            import_module(HELPER_PROCESS).hand_over(self._path, self._along)
        finally:
            os._exit(1)

    def take(self, waiting: Callable[[], None] | None = None) -> Take:
        """Wait for the take alone (see `take_and_along`)."""
        return self.take_and_along(waiting)[0]

    def take_and_along(self, waiting: Callable[[], None] | None = None) -> tuple[Take, dict[str, Any]]:
        """Wait for the take and what goes along with it; `waiting` is called meanwhile, and ends it all by raising.

        Raises:
            TakeError: the take is refused, or needed more than it may.
        """
        try:
            status = self._ended(waiting)
            if status:
                from opossum.take.take_error import TakeError

                raise TakeError(self._path, self._why(status))
            from opossum.take.handover import unpacked

            return unpacked(self._memory)
        finally:
            os.close(self._memory)

    def wait(self, seconds: float) -> bool:
        """Wait at most `seconds`; say whether the process has ended."""
        began = time.monotonic()
        while self._status is None:
            ended, status = os.waitpid(self._process, os.WNOHANG if math.isfinite(seconds) else 0)
            if ended:
                self._status = os.waitstatus_to_exitcode(status)
                break
            waited = time.monotonic() - began
            if waited >= seconds:
                return False
            time.sleep(min(max(LEAST_LOOK_S, waited * LOOK_SHARE), MOST_LOOK_S, seconds - waited))
        return True

    def stop(self) -> None:
        """End the process, and let go of what it has handed over: its take is not wanted any more."""
        self._end()
        os.close(self._memory)

    def _end(self) -> None:
        if self._status is None:
            os.kill(self._process, signal.SIGKILL)
            self.wait(math.inf)

    def _ended(self, waiting: Callable[[], None] | None) -> int:
        """Return how the process ended: its status, or less than 0 for the signal that ended it."""
        while not self.wait(math.inf if waiting is None else ASK_S):
            try:
                waiting()  # type: ignore[misc]  # who waits for ever never comes here
            except BaseException:
                self._end()
                raise
        return self._status or 0

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


def helper_for(paths: list[str], along: str = "") -> Helper | None:
    """Return a helper at work on the take named, see there for `along`; None where something else is named.

    It costs least where it is asked for once NumPy is loaded and before there is a second thread.
    """
    try:
        if len(paths) == 1 and paths[0].endswith(".take") and os.path.isfile(paths[0]):
            return Helper(paths[0], along)
    except OSError:
        pass
    return None
