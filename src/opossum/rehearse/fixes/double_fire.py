"""What fires twice fires once: the second bind or route goes, the first timer is cleared, a latch holds."""

from __future__ import annotations

import numpy as np

from opossum.findings.finding import Finding
from opossum.rehearse.plan import Plan, RehearsalError
from opossum.stream.tables import Array
from opossum.take.grouping import Runs, factorised
from opossum.take.take import Take
from opossum.words import tr


def second_bind(take: Take, finding: Finding) -> Plan:
    """Take away the binds that came while the same was bound already."""
    calls = finding.calls
    bind = np.asarray(take.calls.bind, np.int64)[calls]
    if not (bind >= 0).all():
        raise RehearsalError(tr("the take does not say through which bind each call came"))
    codes, _ = factorised(take.calls.send[calls], take.calls.listener[calls])
    runs = Runs(codes, bind)
    ordered = bind[runs.order]
    later = (runs.rank > 0) & (ordered != bind[runs.first()])
    binds = np.unique(ordered[later])
    places = [place for row in binds.tolist() if (place := take.text(int(take.tables["bind"]["at"][row])))]
    where = f" ({places[0]})" if places else ""
    return Plan(
        done=tr(
            "`{fn}` is bound to `{ev}` once: the second bind{where} is taken away",
            fn=finding.subject.function,
            ev=finding.subject.ev,
            where=where,
        ),
        binds=binds,
    )


def second_route(take: Take, finding: Finding) -> Plan:
    """Take away what reaches a function a second time in a frame: the bind of the route, where it serves nothing else."""
    calls = finding.calls
    codes, _ = factorised(
        take.calls.frame[calls], np.asarray(take.listeners.owner, np.int64)[take.calls.listener[calls]]
    )
    runs = Runs(codes, calls)
    extra = np.sort(calls[runs.order[runs.rank > 0]])
    binds = np.unique(np.asarray(take.calls.bind, np.int64)[extra])
    binds = binds[binds >= 0]
    through = np.flatnonzero(np.isin(take.calls.bind, binds))
    whole = np.array(
        [bind for bind in binds.tolist() if np.isin(through[take.calls.bind[through] == bind], extra).all()], np.int64
    )
    event = take.event_of_call(int(extra[0]))
    return Plan(
        done=tr("`{fn}` is reached once: no longer through `{event}`", fn=finding.subject.function, event=event),
        binds=whole,
        calls=extra,
    )


def first_timer(take: Take, finding: Finding) -> Plan:
    """Clear what is still armed when the same is armed again."""
    arms, lines = pending_at(take, _arms_of(take, finding))
    if not len(arms):
        raise RehearsalError(tr("no timer of it was pending when it was set again"))
    event = finding.subject.ev
    return Plan(
        done=tr("the pending `{event}` is cleared where it is set again", event=event),
        cleared=(arms, lines),
        unknown=(tr("whether it is cleared at another place than where it is set again"),),
    )


def _arms_of(take: Take, finding: Finding) -> Array:
    """Return the arms whose firings made the calls of a finding, and those that its evidence names."""
    sends = np.unique(np.asarray(take.calls.send, np.int64)[finding.calls])
    sends = sends[sends >= 0]
    table = take.tables["send"]
    arms = take.arm_ids.rows(np.asarray(table["p"])[sends], np.asarray(table["a"], np.int64)[sends]).astype(np.int64)
    told = [item.row for item in finding.evidence if item.k == "arm"]
    return np.unique(np.concatenate((arms[arms >= 0], np.array(told, np.int64))))


def pending_at(take: Take, arms: Array) -> tuple[Array, Array]:
    """Return (arms, lines): those of the same owner and event as `arms` that are pending where the next is set, and where.

    An arm that is cleared where the next is set, is: so each ends at the next after it.
    """
    table = take.tables["arm"]
    codes, _ = factorised(table["p"], table["o"], take.arms.event)
    asked = np.flatnonzero(np.isin(codes, codes[arms]))
    runs = Runs(codes[asked], np.asarray(table["line"], np.int64)[asked])
    order = asked[runs.order]
    following = np.roll(order, -1)
    last_of_group = np.append(runs.group[1:] != runs.group[:-1], True) if len(order) else np.zeros(0, bool)
    begin = np.asarray(table["line"], np.int64)[following]
    pending = ~last_of_group & (take.arms.end_line[order] > begin)
    return order[pending], begin[pending]


def on_press(take: Take, finding: Finding) -> Plan:
    """Let only the first call of each time the key is held stand."""
    calls = np.sort(finding.calls)
    codes, _ = factorised(take.calls.listener[calls])
    runs = Runs(codes, take.calls.frame[calls])
    rows = calls[runs.order]
    frames = take.calls.frame[rows]
    follows = np.concatenate(([False], (np.diff(frames) == 1) & (np.diff(runs.group) == 0)))
    return Plan(
        done=tr("`{fn}` acts once a press", fn=finding.subject.function),
        calls=np.sort(rows[follows]),
        unknown=(tr("in which frame of the press it acts: the first is taken"),),
    )


def latch(take: Take, finding: Finding) -> Plan:
    """Let what acted again send and change nothing; what was sent again is not."""
    table, calls = take.tables["send"], np.sort(finding.calls)
    send = take.calls.send[calls]
    via = np.append(np.asarray(table["via"], np.int64), -1)[send]
    by_zone = via == take.code("zone")
    if by_zone.any() and "stay" in finding.told_apart:
        acted = calls[by_zone]
        return Plan(
            done=tr("`{fn}` remembers that it has acted until the zone is left", fn=finding.subject.function),
            silenced=acted,
        )
    if by_zone.any():
        return Plan(done=tr("`{ev}` is sent once for each entering", ev=finding.subject.ev), sends=np.unique(send))
    return Plan(
        done=tr("`{ev}` is sent when the value is crossed, not while it is beyond", ev=finding.subject.ev),
        sends=np.unique(send),
    )


def queue_kept(take: Take, finding: Finding) -> Plan:
    """Say why it cannot be told."""
    raise RehearsalError(
        tr("what stays on a queue changes the order of all that is pulled later, which cannot be foretold")
    )
