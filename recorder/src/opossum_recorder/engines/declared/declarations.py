"""What a user may declare of a game: dispatchers of its own, and single functions.

The command that starts the game reads and checks what the user wrote, and hands it on as JSON in one variable of the
environment.
"""

from __future__ import annotations

import json
import os
from typing import NamedTuple

MAIN = "__main__"
VARIABLE = "OPOSSUM_DECLARED"

USUAL_NAMES: dict[str, tuple[str, ...]] = {
    "bind": ("subscribe", "bind", "connect", "on", "listen", "add_listener", "register", "add_handler", "attach"),
    "once": ("once", "subscribe_once", "bind_once"),
    "unbind": (
        "unsubscribe",
        "unbind",
        "disconnect",
        "off",
        "remove_listener",
        "unregister",
        "remove_handler",
        "detach",
    ),
    "send": ("publish", "send", "emit", "dispatch", "post", "fire", "trigger", "notify", "raise_event"),
}
"""Names of a dispatcher's methods that are looked for where the user names none."""


class Dispatcher(NamedTuple):
    """A class of the game's that dispatches events: its module, its name in it, and names of its methods by what they do."""

    module: str
    name: str
    methods: dict[str, tuple[str, ...]]


class Watched(NamedTuple):
    """A function of the game's: its module, and its name in it (`Class.method`, or a plain one)."""

    module: str
    name: str


class Declared(NamedTuple):
    """All that was declared."""

    dispatchers: tuple[Dispatcher, ...] = ()
    watched: tuple[Watched, ...] = ()
    frame: Watched | None = None
    """The function each of whose runs is a frame, for a game whose engine tells none."""

    def of_main(self, module: str) -> Declared:
        """Return it with the main script, whose name as a module this is, named as it is when it runs."""
        return Declared(
            tuple(one._replace(module=MAIN) if one.module == module else one for one in self.dispatchers),
            tuple(_of_main(one, module) for one in self.watched),
            _of_main(self.frame, module) if self.frame is not None else None,
        )

    def as_json(self) -> str:
        """Return it for the environment."""
        return json.dumps([self.dispatchers, self.watched, self.frame])


def _of_main(one: Watched, module: str) -> Watched:
    return one._replace(module=MAIN) if one.module == module else one


def declared_from_environment() -> Declared:
    """Return what was declared to this process; nothing if the variable is not there or cannot be read."""
    try:
        dispatchers, watched, frame = json.loads(os.environ.get(VARIABLE, "[[], [], null]"))
        return Declared(
            tuple(
                Dispatcher(module, name, {does: tuple(names) for does, names in methods.items()})
                for module, name, methods in dispatchers
            ),
            tuple(Watched(module, name) for module, name in watched),
            Watched(*frame) if frame else None,
        )
    except (ValueError, TypeError, AttributeError):
        return Declared()
