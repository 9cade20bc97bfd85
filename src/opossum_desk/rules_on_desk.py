"""Rules on the desk: the files beside the take are checked, rules written and suggested ones looked for, off the window's thread."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, NamedTuple

from PySide6.QtCore import QFileSystemWatcher, QObject

from moonrise_bakery import demo_take_path
from opossum.words import counted, tr
from opossum_desk.state.rules_of_take import Checked, Mistake, rule_file_of
from opossum_desk.work import Work

if TYPE_CHECKING:
    from opossum.learning.learn import Learnt
    from opossum_desk.area import Desk
    from opossum_desk.state.session import Session
    from opossum_desk.state.tasks import Tell


class _Answer(NamedTuple):
    session: Session
    checked: Checked


class _Suggestions(NamedTuple):
    session: Session
    learnt: list[Learnt]


def check_files(session: Session, files: list[Path]) -> Checked:
    """Check the rules of some files against a session's take.

    Raises:
        RuleFileError: a file cannot be read at all.
    """
    from opossum.rules.checking import check
    from opossum.rules.completing import names_of
    from opossum.rules.files import read_rules

    books = [(file, read_rules(file)) for file in files]
    rules = [rule for _, book in books for rule in book.rules]
    mistakes = [Mistake(file.name, *error) for file, book in books for error in book.errors]
    return Checked(check(session.take, rules, session.wishes.read().settings), mistakes, files, names_of(session.take))


class RulesOnDesk(QObject):
    """Checks the rules beside the open take, and again when their files change."""

    def __init__(self, desk: Desk, parent: QObject) -> None:
        super().__init__(parent)
        self._desk = desk
        self._own = ""
        self._checking, self._learning = Work(self), Work(self)
        self._checking.finished.connect(self._show)
        self._checking.failed.connect(self._fail)
        self._learning.finished.connect(self._suggest)
        self._learning.failed.connect(desk.say)
        self._watcher = QFileSystemWatcher(self)
        self._watcher.fileChanged.connect(lambda _: self.check())

    def take_opened(self, own: str) -> None:
        """Take note of the file of the take that is shown; its rules are checked when they are first looked at."""
        self._own = own
        self.stop()
        if watched := self._watcher.files():
            self._watcher.removePaths(watched)

    def stop(self) -> None:
        """Let what is being checked or looked for go."""
        for work in (self._checking, self._learning):
            work.cancel()

    @property
    def keeps_beside(self) -> bool:
        """Say whether rules can be written beside the take."""
        return bool(self._own) and self._own != str(demo_take_path())

    def check(self) -> None:
        """Check the rules in the files beside the take."""
        from opossum.rules.files import rules_beside

        session = self._desk.session
        if session is None:
            return
        if session.playing:
            # each growth would begin anew, and a deadline that is still to come has not been missed
            session.rules.fail(tr("The game still plays: its rules are checked when it has ended."))
            return
        files = rules_beside(self._own) if self.keeps_beside else []
        unwatched = [str(file) for file in files if str(file) not in self._watcher.files()]
        if unwatched:
            self._watcher.addPaths(unwatched)

        def task(tell: Tell) -> _Answer:
            tell(tr("Checking the rules"), 0.0)
            return _Answer(session, check_files(session, files))

        self._checking.start(task)

    def write(self, sentence: str) -> bool:
        """Add a sentence to the rule file beside the take and check it; say whether it could be written."""
        from opossum.rules.files import RuleFileError
        from opossum.rules.writing import add_rule

        if not self.keeps_beside:
            self._desk.say(tr("Rules are kept in a file beside the take; save this take first (Ctrl+S)."))
            return False
        file = rule_file_of(self._own)
        try:
            add_rule(file, sentence)
        except (RuleFileError, OSError) as error:
            self._desk.say(
                tr("{file}: cannot be written ({error}).", file=file, error=getattr(error, "strerror", None) or error)
            )
            return False
        self._desk.say(tr("Written to {name}.", name=file.name))
        self.check()
        return True

    def keep_away(self) -> None:
        """Write a rule that breaks if the chosen finding comes back."""
        from opossum.rules.against import rule_against

        session = self._desk.session
        if session is None or session.finding is None:
            self._desk.say(tr("Choose a finding first: N shows the first one."))
        elif self.write(rule_against(session.finding)):
            session.choose_weave("rules")

    def learn(self) -> None:
        """Look for what always held in the take."""
        session = self._desk.session
        if session is None:
            return
        self._desk.say(tr("Looking for what always held …"))

        def task(tell: Tell) -> _Suggestions:
            from opossum.learning.learn import learn

            learning = learn(
                [session.take], lambda done, of: tell(tr("Looking for what always held"), done / max(1, of))
            )
            return _Suggestions(session, learning.rules)

        self._learning.start(task)

    def _show(self, answer: _Answer) -> None:
        if self._desk.session is answer.session:
            answer.session.rules.show(answer.checked)

    def _fail(self, why: str) -> None:
        if self._desk.session is not None:
            self._desk.session.rules.fail(why)

    def _suggest(self, answer: _Suggestions) -> None:
        if self._desk.session is answer.session:
            answer.session.rules.suggest(answer.learnt)
            self._desk.say(
                tr(
                    "{rules} held in this take. From one take, chance looks like a rule.",
                    rules=counted(len(answer.learnt), "rule"),
                )
            )
