"""What the desk does off its window's thread: opening takes, examining and saving them. A task is a function of `tell`."""

from __future__ import annotations

import os
import threading
from collections.abc import Callable
from typing import TYPE_CHECKING, Any, NamedTuple

from opossum.words import tr
from opossum_desk.state.session import Session

if TYPE_CHECKING:
    from opossum.findings.finding import Finding
    from opossum.stream.damage import Damage
    from opossum.stream.tables import Array
    from opossum.take.helper import Helper
    from opossum.take.take import Take
    from opossum_desk.state.row_index import Flag

Tell = Callable[[str, float], None]
"""Reports progress as a text and a share from 0 to 1; raises Cancelled when the user thought better of it."""

MOST_HANDED_OVER = 1_000_000
"""Of more calls than this, what was counted takes longer to hand over than to count, in a thread beside the window's."""
REPORT_S = 0.05
"""How often waiting for a head start reports its progress."""


class Cancelled(Exception):  # noqa: N818 - not an error
    """The user thought better of it."""


def open_session(paths: list[str], tell: Tell) -> Session:
    """Open takes or streams and put them in order.

    Raises:
        StreamError, TakeError: nothing readable is there.
    """
    from opossum.take.opening import open_any

    total = sum(os.path.getsize(path) for path in paths if os.path.isfile(path)) or 1
    name = os.path.basename(paths[0])
    tell(tr("Reading {name}", name=name), 0.0)
    take = open_any(paths, lambda done: tell(tr("Reading {name}", name=name), min(1.0, done / total)))
    tell(tr("Putting it in order"), 1.0)
    session = Session(take)
    tell(tr("Putting it in order"), 1.0)
    return session


def load_opener() -> None:
    """Load what opening a stream needs here and now: modules that two threads load at once can break each other."""
    import opossum.stream.reading  # noqa: F401


def counted(take: Take) -> dict[str, Any]:
    """Return what a session counts over a whole take: for the process that opens it, so that the desk's own need not.

    Nothing of a take of more than `MOST_HANDED_OVER` calls.
    """
    return Session(take).as_values() if len(take.calls) <= MOST_HANDED_OVER else {}


class HeadStart:
    """Opens what the command line names while the window is still being made: on a thread of its own, or by a helper.

    What a helper opened is taken over by whoever waits for it: making the window and that would only take turns.
    """

    def __init__(self, paths: list[str], helper: Helper | None = None) -> None:
        self.paths = paths
        self.session: Session | None = None
        self._helper = helper
        self._error: Exception | None = None
        self._told = (tr("Reading"), 0.0)
        self._cancelled = False
        if helper is None:
            load_opener()
            self._thread = threading.Thread(target=self._open, name="opossum-head-start", daemon=True)
            self._thread.start()

    def _open(self) -> None:
        try:
            if self._helper is None:
                self.session = open_session(self.paths, self._tell)
            else:
                take, along = self._helper.take_and_along()
                self.session = Session(take, along or None)
        except Exception as error:
            self._error = error

    def _tell(self, text: str, share: float) -> None:
        self._told = (text, share)
        if self._cancelled:
            raise Cancelled

    def wait(self, seconds: float) -> bool:
        """Wait at most `seconds`; say whether opening has ended, well or not."""
        if self._helper is None:
            self._thread.join(seconds)
        elif not self._has_ended and self._helper.wait(seconds):
            self._open()
        return self._has_ended

    @property
    def _has_ended(self) -> bool:
        return self.session is not None or self._error is not None

    def go_on(self, tell: Tell) -> Session:
        """Wait for the end while telling how far it is: the task that carries this head start on."""
        try:
            while not self.wait(REPORT_S):
                tell(*self._told)
        except Cancelled:
            self._cancelled = True
            if self._helper is not None:
                self._helper.stop()
            raise
        if self._error is not None:
            raise self._error
        return self.session or open_session(self.paths, tell)


class Examined(NamedTuple):
    """What an examination found, what is damaged, and which calls were doubled.

    `session` is the one that was examined; of a stream that another process reads, instead, the number of its
    `growth`, and of the examination (`number`), for whose columns `doubled` counts, and where each peer's frames began
    then (`starts`).
    """

    findings: list[Finding]
    damage: list[Damage]
    doubled: Flag
    session: Session | None = None
    growth: int = 0
    number: int = 0
    starts: Array | None = None


def examining_task(session: Session, followed: Any = None) -> Callable[[Tell], Examined]:
    """Return the task of examining a session's take; of a stream that is `followed`, who reads it does so."""
    playing = session.playing
    if followed is not None:
        return lambda tell: Examined(**followed.examine(playing)._asdict())

    def task(tell: Tell) -> Examined:
        from opossum.findings.examine import examine
        from opossum.take.checks import check_take

        wishes = session.wishes.read()
        told = examine(
            session.take,
            wishes.settings,
            progress=lambda kind: tell(tr("Looking for: {kind}", kind=kind), 0.5),
            playing=playing,
        )
        found = wishes.counted(told)
        return Examined(found, check_take(session.take), session.doubled(found), session)

    return task


def saving_task(session: Session, path: str) -> Callable[[Tell], str]:
    """Return the task of saving a session's take; it answers with the path."""

    def task(tell: Tell) -> str:
        from opossum.take.archive import save_take

        try:
            save_take(session.take, path)
        except OSError as error:
            raise OSError(tr("{path}: cannot be written ({why}).", path=path, why=error.strerror or error)) from None
        return path

    return task
