"""How each sort of moment is found in a take: one function a sort."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from opossum.rules.ground import Ground
from opossum.rules.occurrences import Occurrences
from opossum.rules.sentence import Moment
from opossum.stream.tables import Array


def moments_of(ground: Ground, moment: Moment) -> Occurrences:
    """Return all occurrences of a moment in a take, in order of lines."""
    return ground.found(moment, _FINDERS[moment.sort])


def _sends(ground: Ground, moment: Moment) -> Occurrences:
    take, table = ground.take, ground.take.tables["send"]
    kept = ground.is_named(table["ev"], moment.of) & ground.is_named(table["o"], moment.by, objects=True)
    vias = moment.narrowed("via")
    if vias:
        told = ground.is_named(table["via"], vias)
        kept &= told | ((np.asarray(table["via"]) < 0) if "direct" in vias else False)
    peers = moment.narrowed("peer")
    if peers:
        kept &= np.isin(
            np.asarray(table["p"]), [number for number, span in enumerate(take.peers) if span.name in peers]
        )
    return _of_sends(ground, np.flatnonzero(kept), table["o"])


def _of_sends(ground: Ground, rows: Array, owner_of_send: Array) -> Occurrences:
    take = ground.take
    return ground.occurrences("send", rows, np.asarray(owner_of_send)[rows], rows, np.asarray(take.sends.cause)[rows])


def _calls(ground: Ground, moment: Moment) -> Occurrences:
    take = ground.take
    listeners = take.listeners
    kept = (
        ground.is_named(listeners.function, moment.of)
        & ground.is_named(listeners.owner, moment.by, objects=True)
        & ground.is_named(listeners.event, moment.narrowed("for"))
    )
    rows = np.flatnonzero(kept[take.calls.listener]) if len(listeners) else np.zeros(0, np.int64)
    owner = np.asarray(listeners.owner)[take.calls.listener[rows]]
    return ground.occurrences("call", rows, owner, take.calls.send[rows], rows)


def _binds(ground: Ground, moment: Moment) -> Occurrences:
    table = ground.take.tables["bind"]
    named = ground.is_named(table["ev"], moment.of) | ground.is_named(table["fn"], moment.of)
    return _owned(ground, "bind", np.flatnonzero(named & ground.is_named(table["o"], moment.by, objects=True)))


def _owned(ground: Ground, kind: str, rows: Array) -> Occurrences:
    """Return rows of a table that names owners, and the calls it may tell them to have been written in."""
    take, table = ground.take, ground.take.tables[kind]
    calls = take.call_ids.rows(np.asarray(table["p"])[rows], np.asarray(table["c"], np.int64)[rows])
    return ground.occurrences(kind, rows, np.asarray(table["o"])[rows], calls=calls)


def _spawns(ground: Ground, moment: Moment) -> Occurrences:
    return _owned(
        ground, "spawn", np.flatnonzero(ground.is_named(ground.take.tables["spawn"]["o"], moment.of, objects=True))
    )


def _ends(ground: Ground, moment: Moment) -> Occurrences:
    return _owned(
        ground, "gone", np.flatnonzero(ground.is_named(ground.take.tables["gone"]["o"], moment.of, objects=True))
    )


def _input(edge: str) -> Callable[[Ground, Moment], Occurrences]:
    def found(ground: Ground, moment: Moment) -> Occurrences:
        take, table = ground.take, ground.take.tables["send"]
        edges = np.asarray(table["edge"])
        of_edge = edges == take.code(edge)
        if edge == "down":
            of_edge |= edges < 0
        named = ground.is_named(table["key"], moment.of) | ground.is_named(table["ev"], moment.of)
        rows = np.flatnonzero((np.asarray(table["via"]) == take.code("input")) & of_edge & named)
        return _of_sends(ground, rows, table["o"])

    return found


def _firings(ground: Ground, moment: Moment) -> Occurrences:
    take, table, arms = ground.take, ground.take.tables["send"], ground.take.tables["arm"]
    arm = take.arm_ids.rows(table["p"], table["a"])
    by_arm = np.append(np.asarray(arms["o"], np.int64), -1)[arm]
    owner = np.where(by_arm >= 0, by_arm, np.asarray(table["o"], np.int64))
    fires = (arm >= 0) | np.isin(np.asarray(table["via"]), [take.code("timer"), take.code("delay")])
    kept = fires & ground.is_named(table["ev"], moment.of) & ground.is_named(owner, moment.by, objects=True)
    return _of_sends(ground, np.flatnonzero(kept), owner)


def _armings(ground: Ground, moment: Moment) -> Occurrences:
    take, table = ground.take, ground.take.tables["arm"]
    named = ground.is_named(take.arms.event, moment.of)
    return _owned(ground, "arm", np.flatnonzero(named & ground.is_named(table["o"], moment.by, objects=True)))


def _plays(ground: Ground, moment: Moment) -> Occurrences:
    take, table = ground.take, ground.take.tables["play"]
    kept = ground.is_named(table["clip"], moment.of) & ground.is_named(table["o"], moment.by, objects=True)
    found = _owned(ground, "play", np.flatnonzero(kept))
    started = moment.narrowed("started")
    if not started:
        return found
    function = np.append(np.asarray(take.listeners.function, np.int64)[take.calls.listener], -1)[found.calls]
    return found.only(ground.is_named(function, started))


def _stops(ground: Ground, moment: Moment) -> Occurrences:
    take, table = ground.take, ground.take.tables["stop"]
    plays = take.tables["play"]
    play = take.play_ids.rows(table["p"], table["y"])
    clip, owner = (np.append(np.asarray(plays[name], np.int64), -1)[play] for name in ("clip", "o"))
    kept = ground.is_named(clip, moment.of) & ground.is_named(owner, moment.by, objects=True)
    if moment.sort == "cut":
        kept &= np.asarray(table["how"]) == take.code("cut")
    rows = np.flatnonzero(kept)
    return ground.occurrences("stop", rows, owner[rows])


def _marks(ground: Ground, moment: Moment) -> Occurrences:
    take, table, plays = ground.take, ground.take.tables["send"], ground.take.tables["play"]
    play = take.play_ids.rows(table["p"], table["y"])
    clip, owner = (np.append(np.asarray(plays[name], np.int64), -1)[play] for name in ("clip", "o"))
    kept = (np.asarray(table["mark"]) >= 0) & ground.is_named(table["mark"], moment.of)
    clips = moment.narrowed("clip")
    kept &= ground.is_named(clip, clips)
    return _of_sends(ground, np.flatnonzero(kept), owner)


def _queued(kind: str) -> Callable[[Ground, Moment], Occurrences]:
    def found(ground: Ground, moment: Moment) -> Occurrences:
        take, table = ground.take, ground.take.tables[kind]
        rows = np.flatnonzero(ground.is_named(table["q"], moment.of))
        sends = take.send_ids.rows(np.asarray(table["p"])[rows], np.asarray(table["s"])[rows])
        owner = np.append(np.asarray(take.tables["send"]["o"], np.int64), -1)[sends]
        return ground.occurrences(kind, rows, owner, sends)

    return found


def _waits(ground: Ground, moment: Moment) -> Occurrences:
    table = ground.take.tables["wait"]
    named = ground.is_named(table["ev"], moment.of)
    return _owned(ground, "wait", np.flatnonzero(named & ground.is_named(table["o"], moment.by, objects=True)))


def _errors(ground: Ground, moment: Moment) -> Occurrences:
    take, table = ground.take, ground.take.tables["ret"]
    call = take.call_ids.rows(table["p"], table["c"])
    function, owner = (
        np.append(np.asarray(values, np.int64)[take.calls.listener], -1)[call]
        for values in (take.listeners.function, take.listeners.owner)
    )
    rows = np.flatnonzero((np.asarray(table["err"]) >= 0) & ground.is_named(function, moment.of))
    return ground.occurrences("ret", rows, owner[rows], np.append(take.calls.send, -1)[call[rows]], call[rows])


def _changes(ground: Ground, moment: Moment) -> Occurrences:
    table = ground.take.tables["watch"]
    kept = ground.is_named(table["name"], moment.of) & ground.is_named(table["o"], moment.by, objects=True)
    rows = np.flatnonzero(kept)
    return ground.occurrences("watch", rows, np.asarray(table["o"])[rows])


def _frames(ground: Ground, moment: Moment) -> Occurrences:
    return ground.occurrences("frame", np.arange(len(ground.take.tables["frame"])))


_FINDERS: dict[str, Callable[[Ground, Moment], Occurrences]] = {
    "send": _sends,
    "call": _calls,
    "bind": _binds,
    "spawn": _spawns,
    "gone": _ends,
    "press": _input("down"),
    "hold": _input("held"),
    "release": _input("up"),
    "firing": _firings,
    "arming": _armings,
    "play": _plays,
    "stop": _stops,
    "cut": _stops,
    "mark": _marks,
    "put": _queued("put"),
    "pull": _queued("pull"),
    "wait": _waits,
    "error": _errors,
    "change": _changes,
    "frame": _frames,
}
"""Every sort of moment of the grammar (`m_…`), and how it is found."""
