"""Bound twice: one (event, owner, function) is bound more than once at the same time, so one send calls it twice."""

from __future__ import annotations

from collections.abc import Iterator
from typing import NamedTuple

import numpy as np

from opossum.findings.declaring import Cause, Spring
from opossum.findings.finding import Found, Severity
from opossum.findings.links import FROM_STALE_CALLS, shares_binds
from opossum.findings.scene import Scene
from opossum.findings.wording import listed
from opossum.stream.tables import Array
from opossum.take.grouping import Runs, distinct, joined, repeated
from opossum.take.take import Take
from opossum.words import tr


class _Doubled(NamedTuple):
    """Calls of one send, owner and function, group by group: `extra` are those but the first of a doubled group."""

    runs: Runs
    rows: Array
    extra: Array


def find(scene: Scene) -> Iterator[Found]:
    """Yield what is bound twice. Cost: one sort of the calls that share send, owner and function, and of the binds."""
    doubled = _doubled(scene)
    places = np.flatnonzero(doubled.extra)
    calls = doubled.rows[doubled.runs.order[places]]
    order = np.argsort(calls)
    calls, places = calls[order], places[order]
    for rows in scene.by_class(calls):
        group = int(doubled.runs.group[places[np.searchsorted(calls, rows[0])]])
        start = int(doubled.runs.starts[group])
        together = doubled.rows[doubled.runs.order[start : start + int(doubled.runs.sizes[group])]]
        yield _tell(scene, rows, np.sort(together))


def _doubled(scene: Scene) -> _Doubled:
    """Return the calls that one send made of one owner's one function, and which of them a second bind made."""
    calls = scene.take.calls
    asked = np.flatnonzero((calls.send >= 0) & scene.counted & scene.is_of_one)
    rows, codes = repeated(calls.send[asked], scene.owner[asked], scene.function[asked])
    rows = asked[rows]
    runs = Runs(codes)
    bind = np.asarray(calls.bind, np.int64)[rows]
    # calls through one bind are no second bind's: count the binds that differ
    by_bind = Runs(codes, bind)
    ordered = bind[by_bind.order]
    fresh = (ordered >= 0) & ((by_bind.rank == 0) | (ordered != np.roll(ordered, 1)))
    binds = by_bind.sums(fresh)
    nameless = runs.order[runs.starts[binds == 0]]
    if len(nameless):
        binds[binds == 0] = binds_alive(scene, rows[nameless])
    return _Doubled(runs, rows, (binds >= 2)[runs.group] & (runs.rank > 0))


def binds_alive(scene: Scene, calls: Array) -> Array:
    """Return int64 (n,): how many binds of a call's event, owner and function were alive when it began.

    Binds and their ends are sorted once by (who is bound to what, line); each call then costs two searches.
    """
    take, table = scene.take, scene.take.tables["bind"]
    event = np.asarray(take.calls.event)[calls]
    of_call, of_bind = joined(
        (scene.peer[calls], event, scene.owner[calls], scene.function[calls]),
        (table["p"], table["ev"], table["o"], table["fn"]),
    )
    begun, ended = np.asarray(table["line"], np.int64), take.binds.unbind_line
    line = scene.line[calls]
    stride = int(max(begun.max(initial=0), line.max(initial=0))) + 2
    wanted = of_call.astype(np.int64) * stride + line
    base = of_bind.astype(np.int64) * stride
    begins, ends = np.sort(base + begun), np.sort(base + np.minimum(ended, stride - 1))
    return np.searchsorted(begins, wanted) - np.searchsorted(ends, wanted)


def _binds_of(take: Take, scene: Scene, together: Array) -> Array:
    """Return the binds (rows, ascending) through which calls of one send came, or could have come."""
    binds = distinct(take.calls.bind[together])
    binds = binds[binds >= 0]
    if len(binds):
        return binds
    table, call = take.tables["bind"], int(together[0])
    line = int(scene.line[call])
    same = (np.asarray(table["ev"]) == take.calls.event[call]) & (np.asarray(table["o"]) == scene.owner[call])
    same &= (np.asarray(table["fn"]) == scene.function[call]) & (np.asarray(table["p"]) == scene.peer[call])
    return np.flatnonzero(same & (np.asarray(table["line"]) < line) & (take.binds.unbind_line > line))


def _tell(scene: Scene, rows: Array, together: Array) -> Found:
    take = scene.take
    binds = _binds_of(take, scene, together)
    places = [take.text(int(take.tables["bind"]["at"][bind])) for bind in binds]
    sends = distinct(take.calls.send[rows])
    subject = scene.subject_of_calls(rows)
    where = [place for place in places if place]
    bound = tr("bound {binds} times at once", binds=len(binds)) + (
        tr(" (at {where})", where=listed(where)) if where else ""
    )
    evidence = scene.evidence("bind", binds.tolist(), tr("bound here"))
    evidence += scene.evidence("send", [int(take.calls.send[together[0]])], tr("one send …"))
    evidence += scene.evidence("call", together.tolist(), tr("… ran it here"))
    again = places[-1] or tr("the second bind")
    heard = (
        tr("each of {sends:,} `{ev}` sends", sends=len(sends), ev=subject.ev)
        if len(sends) > 1
        else tr("one `{ev}` send", ev=subject.ev)
    )
    times = {2: tr("twice")}.get(len(binds), tr("{binds} times", binds=len(binds)))
    return Found(
        subject=subject,
        frame_rows=take.calls.frame[rows],
        count=len(rows),
        cost_ns=scene.cost_of(rows),
        summary=tr(
            "{fn} of {owners_of_calls} ran {times} for {heard}: it is {bound}.",
            fn=subject.function,
            owners_of_calls=listed(scene.owners_of_calls(rows)),
            times=times,
            heard=heard,
            bound=bound,
        ),
        advice=tr(
            "Remove one of the binds of `{ev}` to {fn}, likely {again}, or unbind before binding again.",
            ev=subject.ev,
            fn=subject.function,
            again=again,
        ),
        evidence=tuple(evidence),
        calls=distinct(np.concatenate((rows, together))),
    )


BOUND_TWICE = Cause(
    "bound-twice",
    "bound twice",
    Severity.FAULT,
    find,
    springs_from=(Spring("stale-listener", shares_binds), *FROM_STALE_CALLS),
    weave="roster",
    about="One (event, owner, function) is bound more than once at the same time, so that one send calls it twice.",
    quiet="a bind that was undone before the next; another owner or function; a class's function whose object no record tells.",
)
