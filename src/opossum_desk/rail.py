"""The rail: one button for each area and, for the area of a take, one for each of its weaves."""

from __future__ import annotations

from collections.abc import Callable, Iterator

from PySide6.QtWidgets import QButtonGroup, QFrame, QPushButton, QVBoxLayout

from opossum.words import tr
from opossum_desk.area import Way
from opossum_desk.areas import AREAS
from opossum_desk.weaves import WEAVES


def ways() -> Iterator[Way]:
    """Yield everything that can be gone to, in the order of the rail."""
    for area in AREAS:
        if area.name == "take":
            for weave in WEAVES:
                yield Way(weave.name, weave.title, weave.key, weave.explained, True, is_weave=True)
        else:
            yield Way(area.name, area.title, area.key, area.explained, area.needs_take)


def way_title(way: Way) -> str:
    """Return a way as menus and the table of keys say it."""
    sort = tr("Weave") if way.is_weave else tr("Area")
    return f"{sort} {tr(way.title)}: {tr(way.explained)}"


class Rail(QFrame):
    """Shows where one is, and goes elsewhere."""

    def __init__(self, go: Callable[[Way], None]) -> None:
        super().__init__()
        self.setProperty("role", "rail")
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 8, 0, 8)
        column.setSpacing(2)
        group = QButtonGroup(self)
        self.buttons: dict[str, QPushButton] = {}
        self._ways = list(ways())
        for way in self._ways:
            button = QPushButton(tr(way.title))
            button.setCheckable(True)
            button.setAccessibleName(f"{tr('Weave') if way.is_weave else tr('Area')}: {tr(way.title)}")
            button.setToolTip(f"{tr(way.explained)} ({way.key})" if way.key else tr(way.explained))
            button.clicked.connect(lambda _=False, way=way: go(way))
            group.addButton(button)
            column.addWidget(button)
            self.buttons[way.name] = button
        column.addStretch(1)

    def mark(self, shown: str, has_take: bool) -> None:
        """Mark the area or weave that is shown; those that need a take can be gone to while there is one."""
        for way in self._ways:
            self.buttons[way.name].setEnabled(has_take or not way.needs_take)
            self.buttons[way.name].setChecked(way.name == shown)
