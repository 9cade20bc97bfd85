"""Receiver gone: whom it is addressed to, or everybody who ever listened, is gone."""

from __future__ import annotations

from collections.abc import Iterator
from typing import NamedTuple

import numpy as np

from opossum.findings.declaring import Cause, Spring
from opossum.findings.finding import Finding, Found, Severity
from opossum.findings.links import of_one_peer
from opossum.findings.listening import listening
from opossum.findings.scene import Scene
from opossum.findings.unheard.hearing import bearing, by_event, senders, told
from opossum.findings.unheard.sent_before_bind import too_early
from opossum.findings.wording import at_place, listed
from opossum.stream.tables import Array
from opossum.take.indexes.objects import GONE, NEVER
from opossum.words import counted, tr


class ReceiverGone(NamedTuple):
    """Unheard sends (rows): addressed to an object that is gone, or to listeners who are all gone."""

    addressed: Array
    deserted: Array


def receiver_gone(scene: Scene) -> ReceiverGone:
    """Return the sends whose receivers are gone. Linear in unheard sends, binds and calls."""
    take = scene.take
    unheard = scene.once(bearing)
    rows = unheard.rows
    table = take.tables["send"]
    to = np.asarray(table["to"], np.int64)[rows]
    gone = take.objects.state_at(np.asarray(table["p"])[rows], to, unheard.line) == GONE if len(rows) else rows > 0
    addressed = rows[(to >= 0) & gone]
    free = (to < 0) & ~np.isin(rows, scene.once(too_early).sends)
    return ReceiverGone(addressed, _deserted(scene, np.flatnonzero(free)))


def _deserted(scene: Scene, places: Array) -> Array:
    """Return the sends after which nobody who ever listened is left, heard before by an owner that went.

    An event that was sent to nobody before and heard again later is one that does not need a listener.
    """
    take = scene.take
    known, unheard = scene.once(listening), scene.once(bearing)
    rows, keys, lines = unheard.rows[places], unheard.key[places], unheard.line[places]
    over = np.minimum(known.unbound, take.binds.owner_gone_line)
    texts = int(max(known.key.max(initial=0), keys.max(initial=0))) + 1
    last = np.full(texts, -1, np.int64)  # by event: when the last who listened to it ceased to
    np.maximum.at(last, known.key, over)
    heard = np.full(texts, NEVER, np.int64)  # the first time somebody heard it who was to go
    latest = np.full(texts, -1, np.int64)  # the last time anybody heard it
    calls = np.flatnonzero(take.calls.event >= 0)
    call_keys = known.keys(scene.peer[calls], take.calls.event[calls])
    inside = call_keys < texts
    calls, call_keys = calls[inside], call_keys[inside]
    np.maximum.at(latest, call_keys, scene.line[calls])
    mortal = np.flatnonzero(take.binds.owner_gone_line != NEVER)
    by_mortal = np.isin(take.calls.bind[calls], mortal) | _owner_goes(scene, calls)
    np.minimum.at(heard, call_keys[by_mortal], scene.line[calls[by_mortal]])
    deserted = (last[keys] >= 0) & (last[keys] < lines) & (heard[keys] < lines)
    optional = np.zeros(texts, bool)
    optional[keys[(lines < latest[keys]) & (heard[keys] < lines)]] = True
    return rows[deserted & ~optional[keys]]


def _owner_goes(scene: Scene, calls: Array) -> Array:
    """Return a boolean array (n,): the call tells no bind, and its owner goes later."""
    take = scene.take
    loose = take.calls.bind[calls] < 0
    mortal = np.zeros(len(take.strings) + 1, bool)
    mortal[np.asarray(take.tables["gone"]["o"], np.int64)] = True
    return loose & mortal[scene.owner[calls]]


def find(scene: Scene) -> Iterator[Found]:
    """Yield sends to receivers who are gone."""
    take = scene.take
    gone = scene.once(receiver_gone)
    to = np.asarray(take.tables["send"]["to"], np.int64)
    for part in by_event(scene, gone.addressed):
        sends = gone.addressed[part]
        names = listed([take.text(int(code)) for code in dict.fromkeys(to[sends].tolist())])
        yield _tell(scene, sends, tr("it is addressed to who is gone ({names})", names=names), None)
    known = scene.once(listening)
    for part in by_event(scene, gone.deserted):
        sends = gone.deserted[part]
        binds = known.bound.rows(int(known.of_sends(sends[:1])[0]))
        names = listed(list(dict.fromkeys(take.text(int(code)) for code in known.owner[binds[::-1]])))
        yield _tell(
            scene, sends, tr("everybody who ever listened to it is gone or unbound ({names})", names=names), binds[::-1]
        )


def _tell(scene: Scene, sends: Array, why: str, binds: Array | None) -> Found:
    event = scene.take.text(int(scene.take.tables["send"]["ev"][sends[0]]))
    place = at_place(scene.place_of_sends(sends))
    return told(
        scene,
        sends,
        tr(
            "`{event}` was sent {times} by {senders} and nobody heard it: {why}.",
            event=event,
            times=counted(len(sends), "time"),
            senders=senders(scene, sends),
            why=why,
        ),
        tr(
            "Stop sending `{event}`{place} when its receiver goes, or bind whoever takes its place.",
            event=event,
            place=place,
        ),
        binds=binds,
        note=tr("listened once"),
        told_apart=("to",) if binds is None else (),
    )


def of_one_event(scene: Scene, finding: Finding, root: Finding) -> bool:
    """Say whether the root is about the same event."""
    return bool(finding.subject.ev) and finding.subject.ev == root.subject.ev and of_one_peer(finding, root)


RECEIVER_GONE = Cause(
    "receiver-gone",
    "sent to receivers who are gone",
    Severity.FAULT,
    find,
    springs_from=(Spring("timer-left-running", of_one_event),),
    about="The send is addressed to an object that is gone, or everybody who ever listened is gone or unbound and it was heard before by an owner that went.",
    quiet="an event that was sent to nobody before and heard again later needs no listener.",
)
