"""Wrong object: somebody listens to that name, but to another object than the one that sent it, or was addressed."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from opossum.findings.declaring import Cause, Spring
from opossum.findings.finding import Found, Severity
from opossum.findings.listening import listening
from opossum.findings.scene import Scene
from opossum.findings.unheard.hearing import bearing, by_event, told
from opossum.findings.unheard.receiver_gone import of_one_event
from opossum.findings.unheard.sent_before_bind import too_early
from opossum.findings.wording import at_place, listed
from opossum.stream.tables import Array
from opossum.take.indexes.objects import ALIVE
from opossum.words import counted, tr


def find(scene: Scene) -> Iterator[Found]:
    """Yield sends that reach nobody because the listeners are tied to others. Linear in unheard sends, and their binds."""
    take = scene.take
    known, unheard = scene.once(listening), scene.once(bearing)
    table = take.tables["send"]
    free = ~np.isin(unheard.rows, scene.once(too_early).sends)
    bound = known.bound.open_at(unheard.key, unheard.line) > 0
    places = np.flatnonzero(free & bound)
    for part in by_event(scene, unheard.rows[places]):
        mine = places[part]
        sends, lines = unheard.rows[mine], unheard.line[mine]
        binds = known.bound.rows(int(unheard.key[mine[0]]))
        addressed = np.asarray(table["to"][sends]) >= 0
        if addressed.any():
            yield from _wrongly_addressed(scene, sends[addressed], lines[addressed], binds)
        yield from _wrong_sender(scene, sends[~addressed], binds)


def _wrong_sender(scene: Scene, sends: Array, binds: Array) -> Iterator[Found]:
    """Yield sends of objects nobody ever listens to, while somebody listens to others of their class."""
    take = scene.take
    known = scene.once(listening)
    sources = known.source[binds]
    if not len(sends) or (sources < 0).any():
        return  # who asks for no sender hears them all: it was bound to everybody at some time
    classes = scene.class_of_object
    sender = np.asarray(take.tables["send"]["o"][sends], np.int64)
    never = (sender >= 0) & ~np.isin(sender, sources)
    alike = np.isin(classes[sender], classes[sources])
    missed = sends[never & alike]
    if not len(missed):
        return
    event = take.text(int(take.tables["send"]["ev"][missed[0]]))
    names = [take.text(int(code)) for code in dict.fromkeys(sender[never & alike].tolist())]
    others = [take.text(int(code)) for code in dict.fromkeys(sources.tolist())]
    function = take.function_of_bind(int(binds[0]))
    place = at_place(take.text(int(take.tables["bind"]["at"][binds[0]])))
    yield told(
        scene,
        missed,
        tr(
            "{names} sent `{event}` {times} and nobody heard it: {function} listens to {others} only.",
            names=listed(names),
            event=event,
            times=counted(len(missed), "time"),
            function=function,
            others=listed(others),
        ),
        tr(
            "Bind {function} to `{event}` of {names} too{place}, or of any sender.",
            function=function,
            event=event,
            names=listed(names),
            place=place,
        ),
        binds=binds,
        note=tr("listens to another sender"),
        told_apart=("src",),
    )


def _wrongly_addressed(scene: Scene, sends: Array, lines: Array, binds: Array) -> Iterator[Found]:
    """Yield sends addressed to an object that lives and does not listen, while another does."""
    take = scene.take
    known = scene.once(listening)
    table = take.tables["send"]
    to = np.asarray(table["to"][sends], np.int64)
    alive = take.objects.state_at(np.asarray(table["p"])[sends], to, lines) == ALIVE
    deaf, listened = np.zeros(len(sends), bool), np.zeros(len(known.begin), bool)
    for place, line in enumerate(lines.tolist()):
        open_then = _open(known.begin, known.unbound, binds, line)
        # one whose owner no record tells may be the addressed object's
        theirs = (known.owner[open_then] == to[place]) | (known.owner[open_then] < 0)
        deaf[place] = alive[place] and len(open_then) and not theirs.any()
        listened[open_then] |= deaf[place]
    missed, binds = sends[deaf], np.flatnonzero(listened)
    if not len(missed):
        return
    event = take.text(int(table["ev"][missed[0]]))
    names = listed([take.text(int(code)) for code in dict.fromkeys(to[deaf].tolist())])
    others = listed([take.text(int(code)) for code in dict.fromkeys(known.owner[binds].tolist())])
    yield told(
        scene,
        missed,
        tr(
            "`{event}` was sent {times} to {names}, where nothing listens to it; what listens to it belongs to {others}.",
            event=event,
            names=names,
            times=counted(len(missed), "time"),
            others=others,
        ),
        tr(
            "Address `{event}` to {others}{place}, or bind it in {names}.",
            event=event,
            others=others,
            place=at_place(scene.place_of_sends(missed)),
            names=names,
        ),
        binds=binds,
        note=tr("listens to it"),
        told_apart=("to",),
    )


def _open(begin: Array, unbound: Array, binds: Array, line: int) -> Array:
    return binds[(begin[binds] < line) & (unbound[binds] > line)]


WRONG_OBJECT = Cause(
    "wrong-object",
    "meant for another object",
    Severity.FAULT,
    find,
    springs_from=(Spring("timer-left-running", of_one_event),),
    about="Somebody listens to that name of another sender of the same class, and nobody ever to this one; or it is addressed to an object that lives and does not listen while another does.",
    quiet="senders of another class; a sender that is listened to at some time; a listener whose owner no record tells.",
)
