"""What the desk does when a take was opened, has grown, was examined, or is asked for a symptom."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, Any

from PySide6.QtCore import QObject, Qt

import moonrise_bakery
from moonrise_bakery import demo_take_path
from opossum.foreign_text import shown
from opossum.stream.damage import NO_RECORDS, damaged_records
from opossum.words import counted, tr
from opossum_desk.beside_on_desk import BesideOnDesk
from opossum_desk.rules_on_desk import RulesOnDesk
from opossum_desk.sounds_on_desk import SoundsOnDesk
from opossum_desk.state.marks_file import Mark, MarksError, marks_of, marks_path, read_marks, show_marks, write_marks
from opossum_desk.state.session import Session
from opossum_desk.state.source_places import source_roots
from opossum_desk.state.tasks import Examined
from opossum_desk.state.uncounting import WishesOfTake
from opossum_desk.telling import axis_told, examined_told, selection_spoken, selection_told

if TYPE_CHECKING:
    from opossum.findings.symptoms import Symptom
    from opossum_desk.area import Desk

MOST_DAMAGE = 14
"""Sorts of damage that are told at once."""


class TakesOnDesk(QObject):
    """The take that is shown, and what is known of it."""

    def __init__(self, desk: Desk, parent: QObject) -> None:
        super().__init__(parent)
        self._desk = desk
        self.paths: list[str] = []
        """The files of the take that is shown."""
        self._keeps_beside = False
        """Whether marks are kept in a file beside the take."""
        self._others: list[Mark] = []
        """Marks of other peers than the one whose axis is shown."""
        self.question: Symptom | None = None
        """The symptom that is asked once the take has been examined."""
        self._sounds = SoundsOnDesk(desk, self)
        self.beside = BesideOnDesk(desk, self)
        self.rules = RulesOnDesk(desk, self)
        desk.view("take").story.rehearsal_wanted.connect(self.beside.rehearse)
        desk.view("take").story.rule_wanted.connect(self.rules.keep_away)
        opening = desk.opening
        opening.opened.connect(self.show_opened)
        opening.examined.connect(self._examined)
        opening.examining_told.connect(desk.say)

    def show_opened(self, session: Session) -> None:
        """Put what was opened on the desk."""
        desk = self._desk
        self.paths = list(desk.opening.paths)
        own = self.paths[0]
        if own != str(demo_take_path()):
            desk.memory.add_recent(own)
        session.wishes = WishesOfTake(own, writes=own != str(demo_take_path()))
        session.playing = desk.games.records(own) and desk.games.playing
        desk.view("take").story.roots = source_roots(self.paths, [str(Path(moonrise_bakery.__file__).parent)])
        self._show_marks(session, own)
        self.show(session)
        self._sounds.take_opened(session, own)
        self.rules.take_opened(own)
        if len(self.paths) == 1 and own.endswith(".jsonl") and desk.games.followed is None:
            desk.games.watch(own)

    def show(self, session: Session, grown: bool = False) -> None:
        """Show a session and have its take examined; `grown`: it is the one on the desk, longer by now."""
        desk = self._desk
        session.sound_of = self._sounds.ask
        session.rules.check, session.rules.learn, session.rules.write = (
            self.rules.check,
            self.rules.learn,
            self.rules.write,
        )
        desk.set_session(session, grown)
        session.subscribe("selection window axis measure", self._tell_selection)
        session.subscribe("bookmarks", self._keep_bookmarks)
        session.subscribe("sieve", self._keep_sieve)
        self._keep_sieve()
        self._tell_selection()
        desk.opening.examine_soon(session, desk.games.followed)

    # --- examining ---------------------------------------------------------------------------------

    def _examined(self, answer: Examined) -> None:
        desk, session = self._desk, self._desk.session
        if session is None or not self._is_of_now(session, answer):
            return
        if answer.session is not None:
            session.set_findings(answer.findings, answer.doubled)
        elif answer.growth == desk.games.number:
            session.set_findings(answer.findings, answer.doubled)
            session.doubles_of = answer.number
        else:
            from opossum_desk.state.carrying_over import as_grown

            assert answer.starts is not None
            session.list_findings(as_grown(answer.findings, answer.starts, session.take.frames.peer_starts))
        self._tell_selection()
        self._tell_damage(answer.damage)
        if self.question is not None:
            self.ask(self.question)
        else:
            desk.say(session.wishes.trouble or examined_told(answer.findings))
        if not session.playing:
            desk.games.forget_ended()
            if session.rules.trouble:
                self.rules.check()  # they waited for the game to end

    def _is_of_now(self, session: Session, answer: Examined) -> bool:
        """Say whether an examination was of the take that is shown."""
        if answer.session is not None:
            return answer.session is session
        return self._desk.games.followed is not None

    def ask(self, symptom: Symptom) -> None:
        """List what answers a symptom and go to the first of it; as soon as the take has been examined."""
        desk, session = self._desk, self._desk.session
        self.question = symptom
        if session is None or not session.examined:
            return
        from opossum.findings.catalogue import answers

        self.question = None
        area = desk.view("take")
        count = area.ask(answers(symptom))
        if count:
            session.show_finding(area.findings.shown()[0])
            desk.say(f"“{symptom.title}”: {counted(count, 'finding')}.")
        else:
            desk.say(tr("“{title}”: this take shows no such thing.", title=symptom.title))

    def _tell_damage(self, damage: list[Any]) -> None:
        serious = [item for item in damage if item.code not in NO_RECORDS]
        if serious:
            count = damaged_records(serious)
            shown = "; ".join(item.told() for item in serious[:2])
            self._desk.view("take").warn(
                tr(
                    "{count:,} records of this take are damaged or missing; all else is shown. {shown}",
                    count=count,
                    shown=shown,
                ),
                tr("Show all"),
                lambda: self._show_damage(damage),
            )

    def _show_damage(self, damage: list[Any]) -> None:
        from PySide6.QtWidgets import QMessageBox

        box = QMessageBox(self._desk.view("take").window())
        box.setWindowTitle(tr("What is damaged"))
        box.setTextFormat(Qt.TextFormat.PlainText)
        box.setText("\n".join(shown(item.told()) for item in damage[:MOST_DAMAGE]))
        box.setInformativeText(tr("The rest of the take is shown as it was recorded."))
        box.exec()

    # --- what is told and kept -----------------------------------------------------------------------

    def _tell_selection(self) -> None:
        session = self._desk.session
        if session is not None:
            self._desk.say_of_take(axis_told(session))
            if told := selection_told(session):
                self._desk.say(told, selection_spoken(session))

    def _show_marks(self, session: Session, own: str) -> None:
        """Mark what was marked when this take was looked at before: as the file beside it says, else as is remembered."""
        desk = self._desk
        self._keeps_beside = own != str(demo_take_path())
        session.marks.show((mark for mark in desk.memory.bookmarks(own) if mark < session.axis.columns), {})
        if not self._keeps_beside:
            return
        try:
            marks = read_marks(marks_path(own))
        except MarksError as error:
            self._keeps_beside = False  # what is not understood is not written over
            desk.say(f"{error}.")
            return
        self._others = [mark for mark in marks if not session.take.peers or mark.peer != session.take.peers[0].name]
        if marks:
            show_marks(session, marks)

    def _keep_bookmarks(self) -> None:
        desk, session = self._desk, self._desk.session
        if session is None or not self.paths:
            return
        desk.memory.set_bookmarks(self.paths[0], session.marks.columns)
        if self._keeps_beside and session.peer == 0:
            try:
                write_marks(marks_path(self.paths[0]), [*self._others, *marks_of(session)])
            except OSError as error:
                self._keeps_beside = False
                desk.say(
                    tr(
                        "The marks cannot be kept beside the take ({why}); they are remembered here.",
                        why=error.strerror or error,
                    )
                )

    def _keep_sieve(self) -> None:
        session = self._desk.session
        self._desk.games.sieve = session.sieve.text if session is not None else ""
