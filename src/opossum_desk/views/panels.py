"""A view with a quiet title above it."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtGui import QResizeEvent
from PySide6.QtWidgets import QLabel, QSizePolicy, QVBoxLayout, QWidget


class _Heading(QLabel):
    """A title that is cut to the room it has: a narrow panel cuts its title, not its view."""

    def __init__(self, title: str) -> None:
        super().__init__(title)
        self._title = title
        self.setAccessibleName(title)
        self.setProperty("role", "heading")
        self.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self.setText(
            self.fontMetrics().elidedText(self._title, Qt.TextElideMode.ElideRight, self.contentsRect().width())
        )


def titled(
    title: str, view: QWidget, *, above: QWidget | None = None, below: QWidget | None = None
) -> tuple[QLabel, QWidget]:
    """Return the title's label, and a panel with it, the view, and what stands directly above and below the view."""
    panel = QWidget()
    column = QVBoxLayout(panel)
    column.setContentsMargins(0, 0, 0, 0)
    column.setSpacing(0)
    label = _Heading(title)
    column.addWidget(label)
    if above is not None:
        column.addWidget(above)
    column.addWidget(view, 1)
    if below is not None:
        column.addWidget(below)
    return label, panel
