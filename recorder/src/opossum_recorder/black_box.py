"""The black box: where the interpreter itself writes that a game stands still, even where no Python thread can run."""

from __future__ import annotations

import contextlib
import faulthandler
import math
import os
import time
from typing import Any

from opossum_recorder.recorder import Recorder

BLACK_BOX_SUFFIX = ".blackbox"
BLACK_BOX_VARIABLE = "OPOSSUM_BLACK_BOX"
"""Where the black box of a game that plays over the link lies; beside its stream there is none."""
BLACK_BOX_AFTER_S = 1.0
"""A frame longer than this has the interpreter itself write where it is, even where no Python thread can run."""
BLACK_BOX_SET_EVERY_S = 0.5
"""How often that clock is set anew while the game moves on: setting it makes a thread."""


class BoxedRecorder(Recorder):
    """A recorder beside which the interpreter watches too: it writes to the black box what a thread cannot.

    The box holds where the game stands, so what was written of a standstill that is over is taken out again.  Setting
    the interpreter's own clock takes as long as a small game's frame, so the watchdog sets it anew while it sees the game
    move on, and stops it where it sees it wait; the game's own thread sets it only where it does not run.
    """

    _box: Any = None
    _set_at = -1.0
    """When the interpreter's clock was set, -1 while it is not."""

    @property
    def box(self) -> Any:
        """The file that is the black box, None for none."""
        return self._box

    @box.setter
    def box(self, file: Any) -> None:
        """Have the interpreter write to a file from now on."""
        self._box, self._set_at = file, -1.0
        self._look_again_s = math.inf if file is None else -math.inf

    def _look_again(self, moves: bool) -> None:
        if self._set_at >= 0:  # it has run out: the watchdog has not looked for long
            self._empty_the_box()
        if moves:
            self._set()

    def moves(self) -> None:
        """Set the interpreter's clock anew: the game moves on."""
        super().moves()
        if self._may_have_run_out():
            self._empty_the_box()
        if time.monotonic() - self._set_at > BLACK_BOX_SET_EVERY_S:
            self._set()

    def rest(self) -> None:
        """Stop the interpreter's clock too: waiting, a game does not stand still."""
        super().rest()
        # not in each short wait between two frames, but before it can run out
        if self._set_at >= 0 and time.monotonic() - self._set_at > BLACK_BOX_SET_EVERY_S:
            faulthandler.cancel_dump_traceback_later()
            self._set_at, self._look_again_s = -1.0, -math.inf
            if self.frame_lasts_s:  # it went on meanwhile
                self._set()

    def _set(self) -> None:
        if self.box is not None:
            self._set_at = time.monotonic()
            self._look_again_s = self._set_at + BLACK_BOX_AFTER_S
            # the frame that runs when the time is over may have begun so long after
            spare = 1.5 * BLACK_BOX_SET_EVERY_S
            # a game may close what it does not know, or have no room for another thread
            with contextlib.suppress(OSError, ValueError, RuntimeError):
                faulthandler.dump_traceback_later(BLACK_BOX_AFTER_S + spare, file=self.box)

    def _may_have_run_out(self) -> bool:
        return time.monotonic() - self._set_at > BLACK_BOX_AFTER_S

    def _empty_the_box(self) -> None:
        if self.box is None:
            return
        with contextlib.suppress(OSError, ValueError):  # a game may close what it does not know
            box = self.box.fileno()
            if os.lseek(box, 0, os.SEEK_CUR):
                os.ftruncate(box, 0)
                os.lseek(box, 0, os.SEEK_SET)
