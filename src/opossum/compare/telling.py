"""What a node is, in words: the names that a sentence about it needs."""

from __future__ import annotations

from typing import NamedTuple

from opossum.compare.nodes import ENDS, Nodes, What
from opossum.compare.side import Side


class Told(NamedTuple):
    """The names of one node; what does not apply is empty. `of`: of what it is the end."""

    what: What
    event: str = ""
    function: str = ""
    cls: str = ""
    owner: str = ""
    via: str = ""
    clip: str = ""

    @property
    def name(self) -> str:
        """Return the one name that says most."""
        return self.function or self.event or self.clip or self.cls or self.owner


def told(side: Side, nodes: Nodes, place: int) -> Told:
    """Return the names of a node."""
    take, what, row = side.take, What(int(nodes.what[place])), int(nodes.row[place])
    if what in ENDS:
        ended = int(nodes.second[place])
        return told(side, nodes, ended)._replace(what=what) if ended >= 0 else Told(what)
    if what is What.OBJECT:
        return Told(what, owner=take.text(row), cls=take.class_of(row))
    if what in (What.CALL, What.STRETCH):
        listener = int(take.calls.listener[row]) if what is What.CALL else row
        code, function, owner = (
            int(getattr(take.listeners, name)[listener]) for name in ("event", "function", "owner")
        )
        return Told(what, take.text(code), take.text(function), take.class_of(owner), take.text(owner))
    table = take.tables[_TABLE[what]]
    owner = int(table["o"][row])
    names = {"cls": take.class_of(owner), "owner": take.text(owner)}
    if what is What.ARM:
        return Told(what, take.text(int(take.arms.event[row])), via=take.text(int(table["what"][row])), **names)
    if what is What.PLAY:
        return Told(what, clip=take.text(int(table["clip"][row])), **names)
    if what is What.SPAWN:
        return Told(what, **names)
    event = take.text(int(table["ev"][row]))
    if what is What.BIND:
        return Told(what, event, take.text(int(table["fn"][row])), **names)
    return Told(what, event, via=take.via_of_send(row) if what is What.SEND else "", **names)


_TABLE = {
    What.SPAWN: "spawn",
    What.BIND: "bind",
    What.SEND: "send",
    What.ARM: "arm",
    What.PLAY: "play",
    What.WAIT: "wait",
}


def sentence(names: Told, more: int, where: str, *, alone: bool) -> str:
    """Say what one side has more of: `more` of it, in the run called `where`; `alone` where the other has none."""
    how_often = f"only in {where}" if alone else ("once" if more == 1 else f"{more:,} times") + f" more in {where}"
    return f"{phrase(names)} {how_often}"


def phrase(names: Told) -> str:
    """Say what a node is, as a sentence that goes on."""
    subject = names.function or names.event
    match names.what:
        case What.BIND:
            return f"`{subject}` is bound to `{names.event}`"
        case What.CALL:
            return f"`{subject}` is called for `{names.event}`"
        case What.STRETCH:
            return f"`{subject}` runs with every frame"
        case What.SEND:
            return f"`{names.event}` is sent{_by(names)}"
        case What.ARM:
            return f"the {names.via or 'timer'} `{names.event or names.owner}` is set"
        case What.PLAY:
            return f"clip `{names.clip}` of {names.cls or 'somebody'} is played"
        case What.WAIT:
            return f"{names.cls or 'somebody'} waits for `{names.event}`"
        case What.SPAWN:
            return f"{names.cls or names.owner} is spawned"
        case What.SPAWN_END:
            return f"{names.cls or names.owner} ends"
        case What.BIND_END:
            return f"`{subject}` is unbound from `{names.event}`"
        case What.ARM_END:
            return f"the {names.via or 'timer'} `{names.event or names.owner}` is cleared"
        case What.PLAY_END:
            return f"clip `{names.clip}` of {names.cls or 'somebody'} is cut"
    return f"{names.owner or names.cls} is there"


def _by(names: Told) -> str:
    if names.via in ("", "direct"):
        return f" by {names.cls}" if names.cls else ""
    return f" ({names.via})"
