"""What a screen reader is told: announcements, and what is painted in a view as things that it can walk through.

Children are made only while something listens (`QAccessible.isActive`): each is an empty label over what is painted, that takes no
click and paints nothing.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import NamedTuple

from PySide6.QtCore import QObject, QRect, Qt, QTimer
from PySide6.QtGui import QAccessible, QAccessibleAnnouncementEvent, QAccessibleInterface
from PySide6.QtWidgets import QAccessibleWidget, QLabel, QWidget

from opossum.foreign_text import shown

SETTLE_MS = 120
"""Children follow when a view has stood still for so long."""
MOST_CHILDREN = 400
"""So many things of a view are told one by one."""
ROLES = {
    "row": QAccessible.Role.RowHeader,
    "item": QAccessible.Role.ListItem,
    "link": QAccessible.Role.Link,
}


class Spoken(NamedTuple):
    """Something painted: what it is called, where it is (x, y, width, height in px), what sort of thing it is (see `ROLES`)."""

    name: str
    box: tuple[float, float, float, float]
    role: str = "item"


def announce(view: QWidget, text: str) -> None:
    """Have a screen reader say something at once, if one listens."""
    if text and QAccessible.isActive():
        QAccessible.updateAccessibility(QAccessibleAnnouncementEvent(view, shown(text)))


class SpokenChildren:
    """The children of a painted view, made anew when it has come to rest; `tell` says what there is."""

    def __init__(self, view: QWidget, tell: Callable[[], list[Spoken]]) -> None:
        _install()
        self._view, self._tell = view, tell
        self._children: list[_Child] = []
        self._timer = QTimer(view)
        self._timer.setSingleShot(True)
        self._timer.setInterval(SETTLE_MS)
        self._timer.timeout.connect(self.follow)

    def renew(self) -> None:
        """Follow soon what is painted, if anybody listens."""
        if QAccessible.isActive():
            self._timer.start()

    def follow(self) -> None:
        """Let the children be what is painted now."""
        told = self._tell()[:MOST_CHILDREN]
        # what a child is, a screen reader asks once: one of another sort takes its place
        fit = [child.role == ROLES[spoken.role] for child, spoken in zip(self._children, told, strict=False)]
        kept = fit.index(False) if False in fit else len(fit)
        for child in self._children[kept:]:
            child.deleteLater()
        self._children[kept:] = [_Child(self._view, ROLES[spoken.role]) for spoken in told[kept:]]
        for child, spoken in zip(self._children, told, strict=True):
            child.be(spoken)


class _Child(QLabel):
    """Stands for something painted."""

    def __init__(self, view: QWidget, role: QAccessible.Role) -> None:
        super().__init__(view)
        self.role = role
        self.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.show()

    def be(self, spoken: Spoken) -> None:
        """Stand for something."""
        self.setAccessibleName(shown(spoken.name))
        left, top, width, height = spoken.box
        self.setGeometry(QRect(round(left), round(top), max(1, round(width)), max(1, round(height))))


_installed = False


def _install() -> None:
    global _installed
    if not _installed:
        QAccessible.installFactory(_interface)
        _installed = True


def _interface(key: str, thing: QObject | None) -> QAccessibleInterface | None:
    """Return what a screen reader sees of a child; None for everything else, which Qt knows by itself."""
    return QAccessibleWidget(thing, thing.role) if isinstance(thing, _Child) else None
