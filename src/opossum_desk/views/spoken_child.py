"""A thing that is painted, for a screen reader: an empty label over it that takes no click and paints nothing.

Loaded when something listens, or to ask whether something does: what Qt calls by name here costs as much as a small window.
"""

from __future__ import annotations

from PySide6.QtCore import QObject, QRect, Qt
from PySide6.QtGui import QAccessible, QAccessibleAnnouncementEvent, QAccessibleInterface
from PySide6.QtWidgets import QAccessibleWidget, QLabel, QWidget

from opossum.foreign_text import shown

ROLES = {
    "row": QAccessible.Role.RowHeader,
    "item": QAccessible.Role.ListItem,
    "link": QAccessible.Role.Link,
}


class SpokenChild(QLabel):
    """Stands for something painted in a view; `role` is one of `ROLES`."""

    def __init__(self, view: QWidget, role: QAccessible.Role) -> None:
        super().__init__(view)
        self.role = role
        self.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.show()

    def be(self, name: str, box: tuple[float, float, float, float]) -> None:
        """Stand for something of that name at a place: x, y, width, height in px."""
        self.setAccessibleName(shown(name))
        left, top, width, height = box
        self.setGeometry(QRect(round(left), round(top), max(1, round(width)), max(1, round(height))))


def is_listened() -> bool:
    """Say whether a screen reader is at work."""
    return QAccessible.isActive()


def say(view: QWidget, text: str) -> None:
    """Have the screen reader say something at once."""
    QAccessible.updateAccessibility(QAccessibleAnnouncementEvent(view, shown(text)))


def _interface(key: str, thing: QObject | None) -> QAccessibleInterface | None:
    """Return what a screen reader sees of a child; None for everything else, which Qt knows by itself."""
    return QAccessibleWidget(thing, thing.role) if isinstance(thing, SpokenChild) else None


QAccessible.installFactory(_interface)
