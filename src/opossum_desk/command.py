"""What a command of the desk is: one entry in the table of `commands`, from which menus, keys and F1 follow."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, NamedTuple

from opossum.words import tr
from opossum_desk.area import Desk
from opossum_desk.state.session import Session


class Command(NamedTuple):
    """Something the desk can do.

    `title` as menus say it (``&`` marks the letter to press there); `keys`, the first of which menus show; `where`: the
    menu.  It does `act` to the desk, or `do` to the session while a take is looked at in Flow.  Keys without Ctrl,
    Alt or F are typed in the views only, so that typing in a line stays typing.  `group`: a line parts groups.
    `about_calls`: also offered for the call under the pointer.
    """

    title: str
    keys: tuple[str, ...]
    where: str
    act: Callable[[Desk], Any] | None = None
    do: Callable[[Session], Any] | None = None
    group: int = 0
    about_calls: bool = False

    @property
    def plain_title(self) -> str:
        """Return the title in the user's language, without the mark of its letter."""
        return tr(self.title).replace("&", "")

    @property
    def is_typed(self) -> bool:
        """Say whether its keys are plain ones."""
        return bool(self.keys) and not self.keys[0].startswith(("Ctrl+", "Alt+", "F1", "F6"))

    def run(self, desk: Desk) -> None:
        """Do it."""
        if self.act is not None:
            self.act(desk)
        elif self.do is not None and desk.session is not None and desk.is_in("take"):
            self.do(desk.session)


KEY_SIGNS = {"Left": "←", "Right": "→", "Up": "↑", "Down": "↓", "Return": "Enter", "-": "−"}
"""How keys are written where people read them."""


def key_sign(key: str) -> str:
    """Return a key as people read it."""
    name = key.removeprefix("Shift+")
    return ("Shift+" if name != key else "") + KEY_SIGNS.get(name, name)
