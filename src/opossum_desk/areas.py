"""The areas of the window, in the order of the rail. A new one is a folder, and one line here."""

from __future__ import annotations

from opossum_desk.area import Area, AreaView, Desk
from opossum_desk.take_area.area import TakeArea


def _make_start(desk: Desk) -> AreaView:
    from opossum_desk.start.area import make  # made when first wanted: the desk often starts with a take

    return make(desk)


AREAS: list[Area] = [
    Area("start", "Start", "Alt+1", "ways in, symptoms, recent takes", _make_start),
    Area("take", "Take", "", "one take, in the weave that is chosen", TakeArea.of, needs_take=True),
]
