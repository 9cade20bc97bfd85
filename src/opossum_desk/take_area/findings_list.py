"""The list of findings: grouped by symptom, worst first, each with a strip of where in the take."""

from __future__ import annotations

from collections.abc import Collection, Iterator

from PySide6.QtCore import Qt
from PySide6.QtGui import QContextMenuEvent, QKeyEvent, QMouseEvent, QResizeEvent, QStandardItem, QStandardItemModel
from PySide6.QtWidgets import QPushButton, QTreeView, QWidget

from opossum.findings.finding import Finding
from opossum.words import tr
from opossum_desk.context_menus import finding_menu
from opossum_desk.layout.wording import finding_title, group_title, severity_title
from opossum_desk.state.session import Session
from opossum_desk.take_area.finding_delegate import FINDING_ROLE, MARGIN_PX, FindingDelegate, Index
from opossum_desk.views.look import Look
from opossum_desk.views.panels import titled
from opossum_desk.views.plain import plain_tooltip

STEP_PX = 14
"""How much further right stands what follows from another finding."""


class FindingsList(QTreeView):
    """Findings as a tree: the symptom, then each finding, then what follows from it."""

    def __init__(self, look: Look, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.look = look
        self.session: Session | None = None
        self.only: Collection[tuple[str, str]] = ()
        """(kind, cause) of what is listed; all, if there are none."""
        self._following = self._was_shown = False
        self._rows = QStandardItemModel(self)
        self.setModel(self._rows)
        self.setHeaderHidden(True)
        self.setRootIsDecorated(False)
        self.setIndentation(0)
        self.setUniformRowHeights(False)
        self.setEditTriggers(QTreeView.EditTrigger.NoEditTriggers)
        self.setVerticalScrollMode(QTreeView.ScrollMode.ScrollPerPixel)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setItemDelegate(FindingDelegate(look, self, self))
        self.setAccessibleName(tr("Findings"))
        self.setMinimumWidth(180)
        self.setWhatsThis(
            tr(
                "Findings: what is wrong in this take, worst first. The strip under each shows where in the take. N and Shift+N step through them."
            )
        )
        self.clicked.connect(self._clicked)
        self.activated.connect(self._chosen)
        # a viewport of Qt's own making would have PySide6 load every class of widget there is, to tell what it is
        self._ground = QWidget()
        self.setViewport(self._ground)
        look.changed.connect(self._ground.update)

    def set_session(self, session: Session | None) -> None:
        """List the findings of a session."""
        self.session = session
        self.only = ()
        if session is not None:
            session.subscribe("findings axis", self.renew)
            session.subscribe("selection", self._follow)
        self.renew()

    def ask(self, causes: Collection[tuple[str, str]]) -> int:
        """List only findings of these (kind, cause), all if there are none; return how many there are."""
        self.only = causes
        self.renew()
        return len(self.shown())

    def shown(self) -> list[Finding]:
        """Return the findings in the list, in its order."""
        if self.session is None:
            return []
        return [
            finding for finding in self.session.findings if not self.only or (finding.kind, finding.cause) in self.only
        ]

    def renew(self) -> None:
        """List anew."""
        self._rows.clear()
        session = self.session
        if session is None:
            return
        if not session.examined:
            self._add_note(tr("The take is being examined …"))
            return
        found = self.shown()
        if not found:
            self._add_note(tr("Nothing found.") if not self.only else tr("This take shows no such thing."))
            return
        groups: dict[str, QStandardItem] = {}
        items: dict[str, QStandardItem] = {}
        for finding in found:
            # what follows from another finding stands under it, whatever its kind
            symptom = group_title(finding)
            above = items.get(finding.root) or groups.get(symptom) or self._add_group(symptom, groups)
            items[finding.id] = item = self._item(finding)
            above.appendRow(item)
        for symptom, group in groups.items():
            group.setText(f"{symptom}\u00a0\u00a0{_rows_under(group)}")  # the number never stands alone on a line
        self.expandAll()
        self._follow()

    def _add_group(self, symptom: str, groups: dict[str, QStandardItem]) -> QStandardItem:
        group = groups[symptom] = QStandardItem()
        group.setFlags(Qt.ItemFlag.ItemIsEnabled)
        self._rows.appendRow(group)
        return group

    def _item(self, finding: Finding) -> QStandardItem:
        follows = tr(", follows from the one above") if finding.root else ""
        item = QStandardItem(f"{finding_title(finding)}, {severity_title(finding.severity.value)}{follows}")
        item.setData(finding, FINDING_ROLE)
        item.setToolTip(plain_tooltip(finding.summary))
        item.setData(finding.summary, Qt.ItemDataRole.AccessibleDescriptionRole)
        return item

    def _add_note(self, text: str) -> None:
        item = QStandardItem(text)
        item.setFlags(Qt.ItemFlag.ItemIsEnabled)
        self._rows.appendRow(item)

    def _chosen(self, index: Index) -> None:
        finding = index.data(FINDING_ROLE)
        if finding is not None and self.session is not None:
            self.session.show_finding(finding)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        finding = self.indexAt(event.position().toPoint()).data(FINDING_ROLE)
        shown = self.session.finding if self.session is not None else None
        self._was_shown = finding is not None and shown is not None and finding.id == shown.id
        super().mousePressEvent(event)

    def _clicked(self, index: Index) -> None:
        """Show a finding; the one that is shown already, in the weave that proves it best."""
        finding = index.data(FINDING_ROLE)
        if self._was_shown and finding is not None and self.session is not None:
            from opossum.findings.catalogue import weave_of  # not needed before something was found

            self.session.choose_weave(weave_of(finding.kind, finding.cause))
        self._chosen(index)

    def currentChanged(self, current: Index, previous: Index) -> None:
        super().currentChanged(current, previous)
        if not self._following and self.hasFocus() and current.isValid():
            self._chosen(current)

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        by_key = event.reason() == QContextMenuEvent.Reason.Keyboard
        index = self.currentIndex() if by_key else self.indexAt(event.pos())
        finding = index.data(FINDING_ROLE)
        if finding is not None and self.session is not None:
            below = self._ground.mapToGlobal(self.visualRect(index).bottomLeft())
            finding_menu(self, self.session, finding).exec(below if by_key else event.globalPos())

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Keep keys that walk the list; all others belong to the desk."""
        walking = (
            Qt.Key.Key_Up,
            Qt.Key.Key_Down,
            Qt.Key.Key_Home,
            Qt.Key.Key_End,
            Qt.Key.Key_PageUp,
            Qt.Key.Key_PageDown,
            Qt.Key.Key_Space,
        )
        if event.key() in walking:
            super().keyPressEvent(event)
        else:
            event.ignore()

    def room(self, index: Index) -> float:
        """Return how wide (px) a finding is written: less, the more findings it follows from."""
        return max(1.0, self.ground_px() - 2 * MARGIN_PX - 4 - STEP_PX * _depth(index))

    def ground_px(self) -> int:
        """Return how wide the list is without its scroll bar."""
        return self._ground.width()

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        if event.size().width() != event.oldSize().width():
            self.scheduleDelayedItemsLayout()  # causes are wrapped

    def _follow(self) -> None:
        """Mark the finding the session shows, or none; keys go on from where they were."""
        if self.session is None:
            return
        if self.session.finding is None:
            self.clearSelection()
            return
        for item in self.items():
            finding = item.data(FINDING_ROLE)
            if finding is not None and finding.id == self.session.finding.id:
                self._following = True
                self.setCurrentIndex(item.index())
                self._following = False
                return

    def items(self) -> Iterator[QStandardItem]:
        """Yield every item from top to bottom."""
        waiting = [self._rows.item(row) for row in range(self._rows.rowCount())]
        while waiting:
            item = waiting.pop(0)
            yield item
            waiting[:0] = [item.child(row) for row in range(item.rowCount())]


def _rows_under(item: QStandardItem) -> int:
    """Return how many items stand under one, however deep."""
    return sum(1 + _rows_under(item.child(row)) for row in range(item.rowCount()))


def _depth(index: Index) -> int:
    """Return from how many findings, one from the other, this one follows as it is listed."""
    depth = -1
    while index.parent().isValid():
        index, depth = index.parent(), depth + 1
    return depth


def findings_panel(findings: FindingsList) -> tuple[QWidget, QPushButton]:
    """Return the list under its title, and below it the button (hidden at first) that asks for all findings again."""
    ask_all = QPushButton(tr("Show all findings"))
    ask_all.hide()
    return titled(tr("What is wrong"), findings, below=ask_all)[1], ask_all
