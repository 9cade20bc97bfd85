"""What a node is, in words: the names that a sentence about it needs."""

from __future__ import annotations

from typing import NamedTuple

from opossum.compare.nodes import ENDS, Nodes, What
from opossum.compare.side import Side
from opossum.words import tr


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
    how_often = (
        tr("only in {where}", where=where)
        if alone
        else (tr("once") if more == 1 else tr("{more:,} times", more=more)) + tr(" more in {where}", where=where)
    )
    return f"{phrase(names)} {how_often}"


def phrase(names: Told) -> str:
    """Say what a node is, as a sentence that goes on."""
    subject = names.function or names.event
    match names.what:
        case What.BIND:
            return tr("`{subject}` is bound to `{event}`", subject=subject, event=names.event)
        case What.CALL:
            return tr("`{subject}` is called for `{event}`", subject=subject, event=names.event)
        case What.STRETCH:
            return tr("`{subject}` runs with every frame", subject=subject)
        case What.SEND:
            return tr("`{event}` is sent{by}", event=names.event, by=_by(names))
        case What.ARM:
            return tr("the {via} `{event}` is set", via=names.via or tr("timer"), event=names.event or names.owner)
        case What.PLAY:
            return tr("clip `{clip}` of {cls} is played", clip=names.clip, cls=names.cls or tr("somebody"))
        case What.WAIT:
            return tr("{cls} waits for `{event}`", cls=names.cls or tr("somebody"), event=names.event)
        case What.SPAWN:
            return tr("{cls} is spawned", cls=names.cls or names.owner)
        case What.SPAWN_END:
            return tr("{cls} ends", cls=names.cls or names.owner)
        case What.BIND_END:
            return tr("`{subject}` is unbound from `{event}`", subject=subject, event=names.event)
        case What.ARM_END:
            return tr("the {via} `{event}` is cleared", via=names.via or tr("timer"), event=names.event or names.owner)
        case What.PLAY_END:
            return tr("clip `{clip}` of {cls} is cut", clip=names.clip, cls=names.cls or tr("somebody"))
    return tr("{owner} is there", owner=names.owner or names.cls)


def _by(names: Told) -> str:
    if names.via in ("", "direct"):
        return tr(" by {cls}", cls=names.cls) if names.cls else ""
    return f" ({names.via})"
