"""What is set beside the take on the desk: another take, or the same with a fix rehearsed; worked out off the window's thread."""

from __future__ import annotations

import os
from typing import TYPE_CHECKING, NamedTuple

from PySide6.QtCore import QObject

from opossum.words import counted, tr
from opossum_desk.work import Work

if TYPE_CHECKING:
    from opossum.compare.comparison import Comparison
    from opossum_desk.area import Desk
    from opossum_desk.state.session import Session
    from opossum_desk.state.tasks import Tell

KINDS = "Takes and streams (*.take *.jsonl *.jsonl.gz);;All files (*)"


class SetBeside(NamedTuple):
    """A comparison for a session, what a rehearsal said of itself, and what to say in the status line."""

    session: Session
    comparison: Comparison
    told: list[str]
    said: str


class BesideOnDesk(QObject):
    """Compares the open take, one comparison at a time; asking again makes the one before void."""

    def __init__(self, desk: Desk, parent: QObject) -> None:
        super().__init__(parent)
        self._desk = desk
        self._work = Work(self)
        self._work.progressed.connect(lambda text, share: desk.say(f"{text} …"))
        self._work.finished.connect(self._show)
        self._work.failed.connect(desk.say)

    def ask(self) -> None:
        """Let the user choose a take from before or after a change."""
        from PySide6.QtWidgets import QFileDialog

        desk = self._desk
        if desk.session is None:
            desk.say(tr("Open a take first; then another one can be set beside it."))
            return
        kept = desk.memory.kept
        window = desk.view("take").window()
        path, _ = QFileDialog.getOpenFileName(
            window, tr("Set a take from before the change beside this one"), kept.folder, tr(KINDS)
        )
        if path:
            kept.folder = os.path.dirname(path)
            self.set_beside(path)

    def set_beside(self, path: str) -> None:
        """Compare the open take with one from before, which a file holds."""
        session = self._desk.session
        if session is None:
            return
        wishes = session.wishes.read()

        def task(tell: Tell) -> SetBeside:
            from opossum.compare.comparison import compared
            from opossum.compare.side import Side
            from opossum.findings.examine import examine
            from opossum.take.opening import open_any

            name = os.path.basename(path)
            tell(tr("Reading {name}", name=name), 0.0)
            before = open_any(path, lambda done: tell(tr("Reading {name}", name=name), 0.2))
            tell(tr("Looking for what is wrong in it"), 0.4)
            found = wishes.counted(
                examine(before, wishes.settings, progress=lambda kind: tell(tr("Looking for: {kind}", kind=kind), 0.5))
            )
            own = session.findings or wishes.counted(examine(session.take, wishes.settings))
            sides = (Side(before, "BEFORE"), Side(session.take, "AFTER"))
            comparison = compared(sides, (found, own), lambda doing: tell(tr("Comparing: {doing}", doing=doing), 0.8))
            gone, new = len(comparison.findings.gone), len(comparison.findings.new)
            return SetBeside(
                session,
                comparison,
                [],
                tr(
                    "Beside {name}: {findings} gone, {new:,} new.",
                    name=name,
                    findings=counted(gone, "finding"),
                    new=new,
                ),
            )

        self._work.start(task)

    def set_peers_beside(self) -> None:
        """Compare the peer whose frames the axis shows with the next one of the same take."""
        session = self._desk.session
        peers = session.take.peers if session is not None else []
        if session is None or len(peers) < 2:
            self._desk.say(tr("This take has one peer; a session of a host and its clients has several."))
            return
        one, other = session.peer, (session.peer + 1) % len(peers)

        def task(tell: Tell) -> SetBeside:
            from opossum.compare.comparison import compared
            from opossum.compare.side import Side

            sides = (Side(session.take, peers[one].name, one), Side(session.take, peers[other].name, other))
            comparison = compared(sides, progress=lambda doing: tell(tr("Comparing: {doing}", doing=doing), 0.5))
            return SetBeside(
                session, comparison, [], tr("{name} beside {name_2}.", name=peers[one].name, name_2=peers[other].name)
            )

        self._work.start(task)

    def rehearse(self) -> None:
        """Compare the open take with itself as it would have been with the chosen finding's fix."""
        session = self._desk.session
        if session is None or session.finding is None:
            self._desk.say(tr("Choose a finding first: N shows the first one."))
            return
        finding, wishes = session.finding, session.wishes.read()

        def task(tell: Tell) -> SetBeside:
            from opossum.rehearse.rehearsal import rehearse

            rehearsal = rehearse(
                session.take,
                finding,
                list(session.findings),
                wishes.settings,
                lambda doing: tell(tr("Rehearsing: {doing}", doing=doing), 0.5),
            )
            return SetBeside(
                session, rehearsal.comparison, rehearsal.lines(), tr("Rehearsed: {done}.", done=rehearsal.plan.done)
            )

        self._work.start(task)

    def cancel(self) -> None:
        """Let what is being worked out go."""
        self._work.cancel()

    def _show(self, answer: SetBeside) -> None:
        desk = self._desk
        # a take that was opened meanwhile has nothing to do with it
        if desk.session is not answer.session:
            return
        answer.session.beside.show(answer.comparison, answer.told)
        answer.session.choose_weave("compare")
        desk.go_to("take")
        desk.say(answer.said)
