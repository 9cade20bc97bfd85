"""A view with a quiet title above it."""

from __future__ import annotations

from PySide6.QtWidgets import QLabel, QSizePolicy, QVBoxLayout, QWidget


def titled(
    title: str, view: QWidget, *, above: QWidget | None = None, below: QWidget | None = None
) -> tuple[QLabel, QWidget]:
    """Return the title's label, and a panel with it, the view, and what stands directly above and below the view."""
    panel = QWidget()
    column = QVBoxLayout(panel)
    column.setContentsMargins(0, 0, 0, 0)
    column.setSpacing(0)
    label = QLabel(title)
    label.setProperty("role", "heading")
    label.setSizePolicy(
        QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed
    )  # a narrow panel cuts its title, not its view
    column.addWidget(label)
    if above is not None:
        column.addWidget(above)
    column.addWidget(view, 1)
    if below is not None:
        column.addWidget(below)
    return label, panel
