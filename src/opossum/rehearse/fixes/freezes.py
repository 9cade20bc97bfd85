"""What stops a frame takes less: a burst comes once, a storm does not turn, a slow call and a standstill are as usual."""

from __future__ import annotations

import numpy as np

from opossum.findings.finding import Finding
from opossum.rehearse.plan import Plan, RehearsalError
from opossum.take.grouping import Runs, factorised
from opossum.take.take import Take
from opossum.words import tr


def first_of_burst(take: Take, finding: Finding) -> Plan:
    """Let the first of a burst in each frame stand."""
    calls = np.sort(finding.calls)
    codes, _ = factorised(take.calls.listener[calls], take.calls.frame[calls])
    runs = Runs(codes, calls)
    extra = calls[runs.order[runs.rank > 0]]
    sends = np.unique(take.calls.send[extra])
    kept = np.unique(take.calls.send[calls[runs.order[runs.rank == 0]]])
    sends = sends[~np.isin(sends, kept) & (sends >= 0)]
    return Plan(
        done=tr("`{ev}` comes once a frame, for all at once", ev=finding.subject.ev or finding.subject.fn),
        sends=sends,
        calls=np.sort(extra),
        unknown=(tr("what the one call for all of them takes"),),
    )


def as_long_as_usual(take: Take, finding: Finding) -> Plan:
    """Let slow calls take what the others of their listener take."""
    calls = finding.calls
    duration = take.calls.duration_ns
    less = []
    for call in calls.tolist():
        others = take.calls_by_listener.rows(int(take.calls.listener[call]))
        others = others[~np.isin(others, calls)]
        usual = int(np.median(duration[others])) if len(others) else 0
        less.append(max(0, int(duration[call]) - usual))
    return Plan(
        done=tr(
            "`{fn}` takes what it usually takes: the rest is spread or done elsewhere", fn=finding.subject.function
        ),
        quicker=(calls, np.array(less, np.int64)),
        unknown=(tr("what the work costs where it is done instead"),),
    )


def no_standstill(take: Take, finding: Finding) -> Plan:
    """Take the longest stretch in which nothing was recorded out of each frame."""
    frames = take.frames
    begins, lengths = [], []
    times = {kind: (np.asarray(table["p"]), np.asarray(table["t"], np.int64)) for kind, table in take.tables.items()}
    for row in np.unique(finding.frame_rows).tolist():
        peer, begin, end = int(frames.peer[row]), int(frames.start_ns[row]), int(frames.work_end_ns[row])
        inside = [
            time[(peers == peer) & (time >= begin) & (time <= end)]
            for kind, (peers, time) in times.items()
            if kind not in ("stuck", "spin")
        ]
        moments = np.unique(np.concatenate((*inside, [begin, end])))
        gaps = np.diff(moments)
        if len(gaps):
            begins.append(int(moments[int(np.argmax(gaps))]))
            lengths.append(int(gaps.max()))
    if not begins:
        raise RehearsalError(tr("the take does not tell where the thread stood still"))
    return Plan(
        done=tr("the game's thread does not stand still there"),
        gaps=(np.array(begins, np.int64), np.array(lengths, np.int64)),
        unknown=(tr("when what it waited for comes instead"),),
    )
