"""What the causes share: which sends nobody heard, and how such sends are told."""

from __future__ import annotations

from collections.abc import Iterator
from typing import NamedTuple

import numpy as np

from opossum.findings.finding import Found, Severity, Subject
from opossum.findings.listening import listening
from opossum.findings.scene import Scene
from opossum.findings.wording import listed
from opossum.stream.tables import Array
from opossum.take.grouping import distinct, parted
from opossum.words import tr

FIRST_SECONDS_NS = 5_000_000_000
"""The first seconds of play, or of an owner's life, in which who listens is still being set up."""


class Unheard(NamedTuple):
    """Sends (rows, ascending) that nobody heard: not called for, not pulled, not waited for, not heard by another peer.

    `sent`: those delivered at once; `queued`: those that lie on a queue.
    """

    sent: Array
    queued: Array


def unheard_sends(scene: Scene) -> Unheard:
    """Return what nobody heard, in frames from which no records are missing. Linear in sends, calls, pulls and waits."""
    take = scene.take
    sends = take.tables["send"]
    heard = np.zeros(len(sends) + 1, bool)
    heard[take.calls.send] = True
    for kind in ("pull", "met"):
        table = take.tables[kind]
        heard[take.send_ids.rows(table["p"], table["s"])] = True
    heard = heard[:-1]
    net = np.asarray(sends["net"], np.int64)
    shared = np.flatnonzero(net >= 0)
    if len(shared):
        known = np.zeros(len(take.strings), bool)
        known[net[shared[heard[shared]]]] = True
        heard[shared] |= known[net[shared]]
    put = np.zeros(len(sends) + 1, bool)
    put[take.queue_waits.send] = True
    quiet = ~heard & (np.asarray(sends["via"]) != take.code("tick"))
    quiet &= ~np.append(take.frames.gap, False)[take.sends.frame]
    return Unheard(np.flatnonzero(quiet & ~put[:-1]), np.flatnonzero(quiet & put[:-1]))


class Bearing(NamedTuple):
    """What bears on each unheard send, (n,) each beside `rows`: numbers of its (peer, event) and its line."""

    rows: Array
    key: Array
    line: Array


def bearing(scene: Scene) -> Bearing:
    """Return what nobody heard at once, with what every cause asks of it."""
    rows = scene.once(unheard_sends).sent
    lines = np.asarray(scene.take.tables["send"]["line"], np.int64)[rows]
    return Bearing(rows, scene.once(listening).of_sends(rows), lines)


def by_event(scene: Scene, sends: Array, *more: Array) -> Iterator[Array]:
    """Yield positions in `sends` (rows) split by (peer, event), and by `more` (one value a send)."""
    table = scene.take.tables["send"]
    if len(sends):
        yield from parted(np.asarray(table["p"])[sends], np.asarray(table["ev"])[sends], *more)


def senders(scene: Scene, sends: Array) -> str:
    """Return who sent, in words: the call it was sent from where known, else the object."""
    take = scene.take
    calls = distinct(take.sends.cause[sends])
    named = [
        tr(
            "{function_of_call} of {owner_of_call}",
            function_of_call=take.function_of_call(int(call)),
            owner_of_call=take.owner_of_call(int(call)),
        )
        for call in calls[calls >= 0][:6]
    ]
    named = named or [take.text(int(code)) for code in distinct(np.asarray(take.tables["send"]["o"])[sends])]
    return listed([name for name in named if name]) or tr("the game")


def told(
    scene: Scene,
    sends: Array,
    summary: str,
    advice: str,
    *,
    owner: str = "",
    cls: str = "",
    binds: Array | None = None,
    note: str = "",
    details: tuple[str, ...] = (),
    rated: Severity | None = None,
    told_apart: tuple[str, ...] = (),
) -> Found:
    """Return a finding about sends (rows) of one event, with the binds that prove it."""
    take = scene.take
    table = take.tables["send"]
    evidence = scene.evidence("send", sends[:6].tolist(), tr("nobody heard it"))
    if binds is not None:
        evidence += scene.evidence("bind", binds[:4].tolist(), note)
    return Found(
        subject=Subject(
            ev=take.text(int(table["ev"][sends[0]])),
            o=owner,
            cls=cls,
            peer=scene.peer_name(int(table["p"][sends[0]])),
            at=scene.place_of_sends(sends),
        ),
        frame_rows=take.sends.frame[sends],
        count=len(sends),
        summary=summary,
        advice=advice,
        evidence=tuple(evidence),
        sends=sends,
        details=details,
        rated=rated,
        told_apart=told_apart,
    )
