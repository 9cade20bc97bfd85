"""The weave Rules: sentences, each with a strip of where it held and broke; a line to write one in, completed as one types."""

from __future__ import annotations

from collections.abc import Collection

from PySide6.QtCore import QEvent, QObject, QStringListModel, Qt, QTimer, Signal
from PySide6.QtGui import QKeyEvent, QResizeEvent
from PySide6.QtWidgets import (
    QAbstractItemView,
    QApplication,
    QCompleter,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QMenu,
    QVBoxLayout,
    QWidget,
)

from opossum.rules.completing import TakeNames, completions
from opossum.rules.parsing import RuleError, Sentence, parse_sentence
from opossum.words import tr
from opossum_desk.layout.row_picture import RowPicture, RowStack
from opossum_desk.rules.layout.picture import Strips, layout_rules, stack_rows
from opossum_desk.rules.layout.rows import RuleRow, rule_rows
from opossum_desk.state.session import Session
from opossum_desk.views.look import Look
from opossum_desk.weaving.canvas_weave import CanvasWeave
from opossum_desk.weaving.row_canvas import RowCanvas

TYPING_MS = 250
MOST_BREAKS_TOLD = 6


class RulesCanvas(RowCanvas):
    """Paints the rules of a take on its axis."""

    wanted = Signal(str)
    """A sentence is to be written down as a rule."""

    def __init__(self, look: Look, parent: QWidget | None = None) -> None:
        super().__init__(look, tr("Rules"), parent)
        self.rows: list[RuleRow] = []
        self.folded: set[str] = set()
        self._strips: Strips | None = None
        self.setWhatsThis(
            tr(
                "Rules: what must hold, in sentences, each above a strip: low and quiet where it held, tall and rose where it broke. Clicking a break goes there. Below, what always held in this take: any of it can be kept as a rule."
            )
        )

    def list_rows(self, session: Session) -> RowStack:
        self.rows = rule_rows(session, self.folded)
        self.labels.fit([(row.title, 16.0) for row in self.rows])
        return stack_rows(self.rows, self.line_px(), self.width() - self.label_px - 12, self.letter_px())

    def mean(self, session: Session) -> Collection[int]:
        finding = session.finding
        names = {finding.subject.fn, finding.subject.ev} - {""} if finding is not None else set()
        if not names:
            return ()
        return {
            place
            for place, row in enumerate(self.rows)
            if row.outcome is not None and row.outcome.broken and any(name in row.text for name in names)
        }

    def lay_out(self, session: Session) -> RowPicture:
        if self._strips is None or not self._strips.are_of(session):
            self._strips = Strips(session)
        return layout_rules(session, self._strips, self.rows, self.stack, self.layout_view())

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self.order()  # sentences take other lines

    def fold(self, row: int) -> None:
        if not 0 <= row < len(self.rows) or not self.rows[row].key or self.session is None:
            return
        key = self.rows[row].key
        self.folded ^= {key}
        rules = self.session.rules
        if key == "suggested" and key in self.folded and rules.suggested is None and rules.learn is not None:
            rules.learn()
        self.order()

    def summary(self) -> str:
        checked = self.session.rules.checked if self.session is not None else None
        if checked is None:
            return tr("The rules of this take have not been checked.")
        broke = sum(outcome.broken > 0 for outcome in checked.outcomes)
        return tr(
            "{outcomes:,} rules, {broke:,} of them broke, {mistakes:,} cannot be understood.",
            outcomes=len(checked.outcomes),
            broke=broke,
            mistakes=len(checked.mistakes),
        )

    def describe_row(self, row: int) -> str:
        if not 0 <= row < len(self.rows):
            return ""
        item = self.rows[row]
        lines = [f"{item.title}: {item.text}" if item.text else item.title]
        if item.outcome is not None:
            for place in item.outcome.breaks[:MOST_BREAKS_TOLD]:
                where = tr("frame {frame:,}", frame=place.frame) if place.frame >= 0 else tr("start-up")
                lines.append(f"{where}: {place.note}")
            if item.outcome.hint:
                lines.append(item.outcome.hint)
        return "\n".join(lines)

    def choose(self, session: Session, kind: str, row: int, position: float) -> None:
        session.select_column(row if kind == "column" else session.axis.column_at(position))

    def walk_to(self, row: int) -> None:
        outcome = self.rows[row].outcome if 0 <= row < len(self.rows) else None
        if self.session is not None and outcome is not None and outcome.broken:
            first = outcome.frames[~outcome.held]
            columns = self.session.axis_columns(first[:1])
            if len(columns) and int(columns[0]) >= 0:
                self.session.select_column(int(columns[0]))
        super().walk_to(row)  # after it, so that the row is what is said

    def add_row_actions(self, menu: QMenu, row: int) -> None:
        if not 0 <= row < len(self.rows):
            return
        item = self.rows[row]
        if item.suggested is not None:
            sentence = f"{item.suggested.candidate.severity}: {item.text}"
            menu.addAction(tr("Keep it as a rule"), lambda: self.wanted.emit(sentence))
        menu.addAction(tr("Copy as text"), lambda: QApplication.clipboard().setText(self.describe_row(row)))
        if item.key:
            menu.addAction(tr("Fold") if item.opened else tr("Unfold"), lambda: self.fold(row))


class RuleLine(QWidget):
    """A line in which a rule is written; what may come next is offered, what is wrong is said."""

    written = Signal(str)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.names: TakeNames | None = None
        self.line = QLineEdit(self)
        self.line.setPlaceholderText(tr("Write a rule: every send of oven_on is heard"))
        self.line.setAccessibleName(tr("Write a rule"))
        self.line.setClearButtonEnabled(True)
        self.line.setProperty("wrong", False)
        self.told = QLabel(self)
        self.told.setProperty("role", "quiet")
        self.told.setTextFormat(Qt.TextFormat.PlainText)
        self.told.setWordWrap(True)
        self.told.hide()
        self._completer = QCompleter([], self)
        self._completer.setCompletionMode(QCompleter.CompletionMode.UnfilteredPopupCompletion)
        self._completer.setWidget(self.line)
        popup = self._completer.popup()
        assert popup is not None
        self._popup: QAbstractItemView = popup
        self._completer.activated.connect(self._complete)
        column = QVBoxLayout(self)
        column.setContentsMargins(8, 5, 8, 5)
        row = QHBoxLayout()
        row.addWidget(self.line, 1)
        column.addLayout(row)
        column.addWidget(self.told)
        self._typing = QTimer(self)
        self._typing.setSingleShot(True)
        self._typing.setInterval(TYPING_MS)
        self._typing.timeout.connect(self.offer)
        self.line.textEdited.connect(lambda _: self._typed())
        self.line.returnPressed.connect(self.write)
        self.line.installEventFilter(self)

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        """Offer on Ctrl+Space, forget what is written on Escape."""
        if watched is self.line and event.type() == QEvent.Type.KeyPress and isinstance(event, QKeyEvent):
            if event.key() == Qt.Key.Key_Space and event.modifiers() & Qt.KeyboardModifier.ControlModifier:
                self.offer()
                return True
            if event.key() == Qt.Key.Key_Escape and not self._popup.isVisible():
                self.line.clear()
                self.tell("")
                return True
        return super().eventFilter(watched, event)

    def _typed(self) -> None:
        self.tell("")
        self._typing.start()

    def offered(self) -> list[str]:
        """Return what may stand where the cursor is."""
        if self.names is None:
            return []
        return completions(self.line.text()[: self.line.cursorPosition()], self.names)

    def offer(self) -> None:
        """Show what may come next."""
        words = self.offered() if self.line.hasFocus() and self.line.text() else []
        begun = _begun(self.line.text()[: self.line.cursorPosition()])
        if not words or words == [begun]:
            self._popup.hide()
            return
        self._completer.setModel(QStringListModel(words, self._completer))
        self._completer.complete()

    def _complete(self, word: str) -> None:
        """Put a word that was chosen in place of the one that was begun."""
        at = self.line.cursorPosition()
        text = self.line.text()
        begun = _begun(text[:at])
        before = f"{text[: at - len(begun)]}{word} "
        self.line.setText(before + text[at:].lstrip())
        self.line.setCursorPosition(len(before))

    def write(self) -> None:
        """Hand on what is written, if it is a rule; else say what is wrong and where."""
        if self._popup.isVisible():
            if self._popup.currentIndex().isValid():
                return  # the key chooses what is offered
            self._popup.hide()
        text = self.line.text().strip()
        if not text:
            return
        read = parse_sentence(Sentence(1, text))
        if isinstance(read, RuleError):
            self.line.setCursorPosition(read.column - 1)
            self.tell(tr("At letter {column}: {message}.", column=read.column, message=read.message))
        elif isinstance(read, tuple):
            self.tell(tr("That is no rule but a heading; write such as: every send of oven_on is heard."))
        else:
            self.written.emit(text)

    def tell(self, text: str) -> None:
        """Say what is wrong with what is written; nothing where nothing is."""
        self.told.setText(text)
        self.told.setVisible(bool(text))
        self.line.setProperty("wrong", bool(text))
        self.line.style().unpolish(self.line)
        self.line.style().polish(self.line)


def _begun(text: str) -> str:
    """Return the word that is being written at the end of a text."""
    return text[max(text.rfind(" "), text.rfind("\t")) + 1 :]


class RulesWeave(CanvasWeave):
    """Rules as a weave: the line to write in, and below it the rules."""

    canvas: RulesCanvas

    def __init__(self, look: Look, parent: QWidget | None = None) -> None:
        super().__init__(RulesCanvas(look), parent)
        self.session: Session | None = None
        self.line = RuleLine()
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(self.line)
        column.addWidget(self.canvas, 1)
        self.line.written.connect(self._write)
        self.canvas.wanted.connect(self._write)

    def set_session(self, session: Session | None) -> None:
        self.session = session
        if session is None:
            self.canvas.set_session(None)
            return
        session.subscribe("rules", self._renew)
        self.canvas.show_rows(session)
        self._renew()
        if session.rules.checked is None and session.rules.check is not None:
            session.rules.check()

    def _renew(self) -> None:
        if self.session is None:
            return
        checked = self.session.rules.checked
        self.line.names = checked.names if checked is not None else None
        self.canvas.order()

    def _write(self, sentence: str) -> None:
        rules = self.session.rules if self.session is not None else None
        if rules is not None and rules.write is not None and rules.write(sentence):
            self.line.line.clear()
            self.line.tell("")

    def focusable(self) -> list[QWidget]:
        return [self.canvas, self.line.line]
