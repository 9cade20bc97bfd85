"""Never sent: a listener listens to the end for what nobody in the take sends."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from opossum.findings.declaring import Cause
from opossum.findings.finding import Found, Severity
from opossum.findings.frame_times import play_ends
from opossum.findings.listening import listening
from opossum.findings.scene import Scene
from opossum.findings.stale_listener.outliving import by_class, names_of, subject_of_binds
from opossum.findings.unheard.hearing import FIRST_SECONDS_NS
from opossum.findings.wording import at_place, listed
from opossum.stream.tables import Array
from opossum.take.grouping import distinct
from opossum.take.nearness import NearNames
from opossum.words import tr


def find(scene: Scene) -> Iterator[Found]:
    """Yield listeners whose event or only sender never comes. Linear in binds and sends."""
    take = scene.take
    if scene.playing:
        return
    known = scene.once(listening)
    table = take.tables["bind"]
    bound_ns = take.holds.game_times(table["p"], table["t"])
    end_ns = scene.once(play_ends)[np.asarray(table["p"], np.int64)]
    long = ~known.by_player & known.lives_on() & (end_ns - bound_ns >= FIRST_SECONDS_NS) & ~known.called
    no_sender = long & _source_missing(scene)
    no_event = long & ~no_sender & _event_missing(scene)
    for flags, of_sender in ((no_sender, True), (no_event, False)):
        for binds in by_class(scene, np.flatnonzero(flags)):
            yield _tell(scene, binds, of_sender)


def _source_missing(scene: Scene) -> Array:
    """Return a boolean array (binds,): listens to one sender only, who never spawned nor did anything in the take."""
    take = scene.take
    table = take.tables["bind"]
    source = np.asarray(table["src"], np.int64)
    if not len(take.tables["spawn"]) or not len(source):
        return np.zeros(len(source), bool)
    seen = np.zeros(len(take.strings) + 1, bool)
    for kind in ("send", "bind", "arm", "play", "wait", "watch"):
        seen[np.asarray(take.tables[kind]["o"], np.int64)] = True
    seen[-1] = False
    return (source >= 0) & ~take.objects.spawned(table["p"], source) & ~seen[source]


def _event_missing(scene: Scene) -> Array:
    """Return a boolean array (binds,): its event never occurs and is near to no other, every other event of its class does.

    What a timer, a delay or a mark of the take stands for has somebody who sends it, though it did not come to that.
    """
    take = scene.take
    known = scene.once(listening)
    table, sends = take.tables["bind"], take.tables["send"]
    occurs = np.isin(known.key, distinct(known.keys(sends["p"], sends["ev"])))
    classes = np.asarray(scene.class_of_object[known.owner], np.int64)
    owner_class = np.asarray(table["p"], np.int64) * (int(classes.max(initial=0)) + 2) + classes
    missing = np.flatnonzero(~occurs)
    if not len(missing):
        return np.zeros(len(occurs), bool)
    # by class: how many different events its binds name, and how many of them never occur
    pairs = np.unique(np.stack((owner_class, known.key, occurs), axis=1), axis=0)
    absent = dict(zip(*np.unique(pairs[pairs[:, 2] == 0][:, 0], return_counts=True), strict=True))
    present = dict(zip(*np.unique(pairs[pairs[:, 2] == 1][:, 0], return_counts=True), strict=True))
    names = NearNames(take.text(code) for code in distinct(np.asarray(sends["ev"])).tolist() if code >= 0)
    flags = np.zeros(len(occurs), bool)
    near: dict[int, bool] = {}
    for bind in missing.tolist():
        cls, event = int(owner_class[bind]), int(table["ev"][bind])
        if absent.get(cls, 0) != 1 or not present.get(cls, 0):
            continue
        if event not in near:
            near[event] = bool(names.near(take.text(event)))
        flags[bind] = not near[event]
    return flags & ~np.isin(known.key, _planned(scene))


def _planned(scene: Scene) -> Array:
    """Return the keys of events that timers, delays and marks stand for."""
    take, known = scene.take, scene.once(listening)
    arms, plays, marks = take.tables["arm"], take.tables["play"], take.marks
    named = marks.name < len(take.strings)  # a mark that no record names is listened to by nobody
    by_mark = known.keys(np.asarray(plays["p"])[marks.play[named]], marks.name[named])
    return distinct(np.concatenate((known.keys(arms["p"], arms["ev"]), by_mark)))


def _tell(scene: Scene, binds: Array, of_sender: bool) -> Found:
    take = scene.take
    subject = subject_of_binds(scene, binds)
    owners = listed(names_of(scene, binds, "o"))
    sources = listed(names_of(scene, binds, "src"))
    why = (
        tr("it listens to {sources} only, who never came into the take", sources=sources)
        if of_sender
        else tr("nobody ever sends it, though every other event of its class occurs")
    )
    fix = (
        tr("Put {sources} into the scene", sources=sources)
        if of_sender
        else tr("Put what sends `{ev}` into the scene", ev=subject.ev)
    )
    return Found(
        subject=subject,
        frame_rows=take.binds.frame[binds],
        count=len(binds),
        summary=tr(
            "{fn} of {owners} listened to `{ev}` to the end and was never called: {why}.",
            fn=subject.function,
            owners=owners,
            ev=subject.ev,
            why=why,
        ),
        advice=tr("{fix}, or take the listener away{place}.", fix=fix, place=at_place(subject.at)),
        evidence=tuple(scene.evidence("bind", binds[:4].tolist(), tr("bound here, never called"))),
        told_apart=("src",) if of_sender else (),
    )


NEVER_SENT = Cause(
    "never-sent",
    "listens to what is never sent",
    Severity.RISK,
    find,
    about="A listener is bound for five seconds and to the end, and its only sender never came into the take; or its event never occurs, though every other event of its owner's class (at least one) does.",
    quiet="two events of the class that never occur; names near to one that does; what a timer, a delay or a mark of the take stands for; what the player did not do.",
)
