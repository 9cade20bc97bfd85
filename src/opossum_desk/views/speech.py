"""What a screen reader is told: announcements, and what is painted in a view as things that it can walk through.

Children are made only while something listens.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING, NamedTuple

from PySide6.QtCore import QTimer

if TYPE_CHECKING:
    from PySide6.QtWidgets import QWidget

    from opossum_desk.views.spoken_child import SpokenChild

SETTLE_MS = 120
"""Children follow when a view has stood still for so long."""
MOST_CHILDREN = 400
"""So many things of a view are told one by one."""


class Spoken(NamedTuple):
    """Something painted: what it is called, where it is (x, y, width, height in px), what sort of thing it is (see `ROLES`)."""

    name: str
    box: tuple[float, float, float, float]
    role: str = "item"


def announce(view: QWidget, text: str) -> None:
    """Have a screen reader say something at once, if one listens."""
    if text:
        from opossum_desk.views import spoken_child

        if spoken_child.is_listened():
            spoken_child.say(view, text)


class SpokenChildren:
    """The children of a painted view, made anew when it has come to rest; `tell` says what there is.

    `ground` gives the widget in which it is painted, where that is not the view itself.
    """

    def __init__(
        self, view: QWidget, tell: Callable[[], list[Spoken]], ground: Callable[[], QWidget] | None = None
    ) -> None:
        self._ground, self._tell = ground or (lambda: view), tell
        self._children: list[SpokenChild] = []
        self._timer = QTimer(view)
        self._timer.setSingleShot(True)
        self._timer.setInterval(SETTLE_MS)
        self._timer.timeout.connect(self._settled)

    def renew(self) -> None:
        """Follow soon what is painted, if anybody listens."""
        self._timer.start()

    def _settled(self) -> None:
        from opossum_desk.views.spoken_child import is_listened

        if is_listened():
            self.follow()

    def follow(self) -> None:
        """Let the children be what is painted now."""
        from opossum_desk.views.spoken_child import ROLES, SpokenChild

        told = self._tell()[:MOST_CHILDREN]
        # what a child is, a screen reader asks once: one of another sort takes its place
        fit = [child.role == ROLES[spoken.role] for child, spoken in zip(self._children, told, strict=False)]
        kept = fit.index(False) if False in fit else len(fit)
        for child in self._children[kept:]:
            child.deleteLater()
        self._children[kept:] = [SpokenChild(self._ground(), ROLES[spoken.role]) for spoken in told[kept:]]
        for child, spoken in zip(self._children, told, strict=True):
            child.be(spoken.name, spoken.box)
