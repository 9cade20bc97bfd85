"""The rail: one button an area."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtWidgets import QButtonGroup, QFrame, QPushButton, QVBoxLayout

from opossum_desk.areas import AREAS


class Rail(QFrame):
    """Shows which area one is in, and goes to others."""

    def __init__(self, go_to: Callable[[str], None]) -> None:
        super().__init__()
        self.setProperty("role", "rail")
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 8, 0, 8)
        column.setSpacing(2)
        group = QButtonGroup(self)
        self.buttons: dict[str, QPushButton] = {}
        for area in AREAS:
            button = QPushButton(area.title)
            button.setCheckable(True)
            button.setAccessibleName(f"Area: {area.title}")
            button.setToolTip(f"{area.explained} ({area.key})" if area.key else area.explained)
            button.clicked.connect(lambda _=False, name=area.name: go_to(name))
            group.addButton(button)
            column.addWidget(button)
            self.buttons[area.name] = button
        column.addStretch(1)

    def mark(self, shown: str, has_take: bool) -> None:
        """Mark the area that is shown; those that need a take can be gone to while there is one."""
        for area in AREAS:
            self.buttons[area.name].setEnabled(has_take or not area.needs_take)
            self.buttons[area.name].setChecked(area.name == shown)
