"""Kept on its queue: one send is pulled more often than it was put."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from opossum.findings.declaring import Cause
from opossum.findings.finding import Found, Severity, Subject
from opossum.findings.links import FROM_STALE_CALLS
from opossum.findings.scene import Scene
from opossum.findings.wording import listed
from opossum.stream.tables import Array
from opossum.take.grouping import Runs, distinct, joined, parted
from opossum.words import counted, tr


def find(scene: Scene) -> Iterator[Found]:
    """Yield queues that keep what was pulled. Cost: one sort of puts and pulls."""
    take = scene.take
    pull, put = take.tables["pull"], take.tables["put"]
    if not len(pull):
        return
    of_pull, of_put = joined((pull["p"], pull["q"], pull["s"]), (put["p"], put["q"], put["s"]))
    puts = np.bincount(of_put, minlength=int(of_pull.max()) + 1)
    runs = Runs(of_pull)
    again = np.sort(runs.order[runs.rank >= np.maximum(puts[of_pull[runs.order]], 1)])
    first = np.empty(len(pull), np.int64)
    first[runs.order] = runs.first()
    frames = take.frames.rows_of_lines(pull["p"], pull["line"])
    again = again[scene.in_play(frames[again])]
    for part in parted(np.asarray(pull["p"])[again], np.asarray(pull["q"])[again]):
        yield _tell(scene, again[part], int(first[again[part[0]]]), frames)


def _tell(scene: Scene, rows: Array, first_pull: int, frames: Array) -> Found:
    take = scene.take
    pull, put = take.tables["pull"], take.tables["put"]
    peer, queue, send_id = (int(pull[name][rows[0]]) for name in ("p", "q", "s"))
    sends = distinct(take.send_ids.rows(np.asarray(pull["p"])[rows], np.asarray(pull["s"])[rows]))
    sends = sends[sends >= 0]
    events = sorted({take.text(int(take.tables["send"]["ev"][send])) for send in sends})
    made = scene.calls_of_sends(sends)
    repeats = made[scene.line[made] > int(pull["line"][rows[0]])]
    name = take.text(queue)
    one_function = len(distinct(scene.function[repeats])) == 1
    about = scene.subject_of_calls(repeats) if one_function else Subject()
    placed = (np.asarray(put["p"]) == peer) & (np.asarray(put["q"]) == queue) & (np.asarray(put["s"]) == send_id)
    evidence = scene.evidence("put", np.flatnonzero(placed).tolist(), tr("put once"))
    evidence += scene.evidence("pull", [first_pull, int(rows[0])], tr("pulled here"))
    return Found(
        subject=Subject(
            ev=events[0] if len(events) == 1 else "",
            o=about.o,
            cls=about.cls,
            q=name,
            fn=about.fn,
            peer=scene.peer_name(peer),
        ),
        frame_rows=frames[rows],
        count=len(rows),
        cost_ns=scene.cost_of(repeats),
        summary=tr(
            "Queue `{name}` delivered {sends} ({what}) again, {times} in all: they stayed on the queue after "
            "they were pulled.",
            name=name,
            sends=counted(len(sends), "send"),
            what=listed([f"`{event}`" for event in events]),
            times=counted(len(rows), "time"),
        ),
        advice=tr("Take a send off `{name}` when it is pulled, or clear the queue after delivering it.", name=name),
        evidence=tuple(evidence),
        calls=repeats,
    )


QUEUE_KEPT = Cause(
    "queue-kept",
    "kept on its queue",
    Severity.FAULT,
    find,
    springs_from=FROM_STALE_CALLS,
    about="A send is pulled from a queue more often than it was put there.",
    quiet="a send put on the queue again.",
)
