"""What a weave is: one answer to what the rows of the middle are. Weaves are registered in `weaves`."""

from __future__ import annotations

from collections.abc import Callable
from typing import NamedTuple

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QScrollBar, QSplitter, QWidget

from opossum_desk.state.session import Session
from opossum_desk.views.look import Look


class WeaveView(QWidget):
    """The middle of the take's area. What it does not override, it does not care about."""

    said = Signal(str)
    """Something for the status line."""

    def set_session(self, session: Session | None) -> None:
        """Show a take, or nothing."""

    def focusable(self) -> list[QWidget]:
        """Return its views in the order in which F6 walks them; the first is given the focus on entering."""
        return []

    def panels(self) -> dict[str, QWidget]:
        """Return the panels of it that can be hidden, by name."""
        return {}

    def splits(self) -> dict[str, QSplitter]:
        """Return the splitters whose sizes are remembered, by name."""
        return {}

    def scroll_bars(self) -> list[QScrollBar]:
        """Return what must stay where it is while a take grows."""
        return []

    def reveal_call(self, call: int) -> None:
        """Scroll so that a call that was selected is seen."""

    def fold_selected(self) -> None:
        """Fold or unfold what is selected."""

    def clear_measure(self) -> None:
        """Forget the measured stretch."""


class Weave(NamedTuple):
    """A weave: its name, its title on the rail, the key that goes there, and what it shows.

    `offer`: how the Story offers to show a finding in it; `make` builds its view for a look.
    """

    name: str
    title: str
    key: str
    explained: str
    offer: str
    make: Callable[[Look], WeaveView]
