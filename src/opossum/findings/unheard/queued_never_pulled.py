"""Queued, never pulled: an event was put on a queue and stayed there."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from opossum.findings.declaring import Cause, Spring
from opossum.findings.finding import Finding, Found, Severity, Subject
from opossum.findings.frame_times import play_ends
from opossum.findings.scene import Scene
from opossum.findings.settings import Threshold
from opossum.findings.wording import event_named, listed
from opossum.stream.tables import Array
from opossum.take.grouping import parted
from opossum.words import counted, tr

UNPULLED_SECONDS = Threshold(
    "unpulled_seconds", 2.0, "s", "what lies on a queue for so long was forgotten, not left for the next frame"
)


def find(scene: Scene) -> Iterator[Found]:
    """Yield what lies on queues for good. Linear in puts and pulls."""
    take, waits = scene.take, scene.take.queue_waits
    put, pull = take.tables["put"], take.tables["pull"]
    if not len(put):
        return
    enough = int(scene[UNPULLED_SECONDS] * 1e9)
    queues = int(max(waits.queue.max(initial=0), waits.pull_queue.max(initial=0))) + 1
    end = scene.once(play_ends)[np.asarray(put["p"], np.int64)]
    left = (waits.pull < 0) & (end - waits.time_ns >= enough)
    last_pull = np.full(queues, -(2**62), np.int64)
    np.maximum.at(last_pull, waits.pull_queue, take.holds.game_times(pull["p"], pull["t"]))
    stood = end - last_pull[waits.queue] >= enough
    # what was put later is long gone: it was passed over
    newest = np.full(queues, -1, np.int64)
    pulled = (waits.pull >= 0) & (end - waits.pull_ns >= enough)
    lines = np.asarray(put["line"], np.int64)
    np.maximum.at(newest, waits.queue[pulled], lines[pulled])
    rows = np.flatnonzero(left & (stood | (newest[waits.queue] > lines)))
    events = np.append(np.asarray(take.tables["send"]["ev"], np.int64), -1)[waits.send]
    lost = take.tables["lost"]
    for part in parted(waits.queue[rows], events[rows]):
        # as many pulls may be among what was lost since
        since = (np.asarray(lost["line"]) > lines[rows[part[0]]]) & (np.asarray(lost["p"]) == put["p"][rows[part[0]]])
        if len(part) > int(np.asarray(lost["n"], np.int64)[since].sum()):
            yield _tell(scene, rows[part])


def _tell(scene: Scene, puts: Array) -> Found:
    take, waits = scene.take, scene.take.queue_waits
    table = take.tables["put"]
    queue, peer = take.text(int(table["q"][puts[0]])), int(table["p"][puts[0]])
    sends = waits.send[puts]
    event = take.text(int(take.tables["send"]["ev"][sends[0]])) if sends[0] >= 0 else ""
    pulled = waits.pull_ns[(waits.queue == waits.queue[puts[0]]) & (waits.pull >= 0)]
    last = (
        tr("nothing was ever pulled from it")
        if not len(pulled)
        else tr("one other send was pulled from it")
        if len(pulled) == 1
        else tr("{sends} were pulled from it", sends=counted(len(pulled), "other send"))
    )
    return Found(
        subject=Subject(ev=event, q=queue, peer=scene.peer_name(peer)),
        frame_rows=waits.frame[puts],
        count=len(puts),
        summary=tr(
            "{sends} of {event} put on queue `{queue}` {was} never pulled: {last}.",
            sends=counted(len(puts), "send"),
            event=event_named(event),
            queue=queue,
            was=tr("was") if len(puts) == 1 else tr("were"),
            last=last,
        ),
        advice=_advice(queue, _pullers(scene, puts), len(pulled) > 0),
        evidence=tuple(scene.evidence("put", puts[:6].tolist(), tr("put here, never pulled"))),
    )


def _advice(queue: str, pullers: list[str], was_pulled: bool) -> str:
    advice = tr(
        "Pull `{queue}` until it is empty, or clear it on purpose where what it holds is no longer wanted", queue=queue
    )
    if pullers:
        return tr("{advice}; look at who pulls it: {pullers}.", advice=advice, pullers=listed(pullers))
    return f"{advice}." if was_pulled else tr("{advice}; nobody pulls it.", advice=advice)


def _pullers(scene: Scene, puts: Array) -> list[str]:
    """Return the functions called for what was pulled from the same queue, at most four."""
    take, waits = scene.take, scene.take.queue_waits
    mates = np.flatnonzero((waits.queue == waits.queue[puts[0]]) & (waits.pull >= 0) & (waits.send >= 0))[:50]
    calls = scene.calls_of_sends(waits.send[mates])
    return list(dict.fromkeys(take.function_of_call(int(call)) for call in calls[:20]))[:4]


def of_one_queue(scene: Scene, finding: Finding, root: Finding) -> bool:
    """Say whether the root is about the same queue of the same peer."""
    return (finding.subject.q, finding.subject.peer) == (root.subject.q, root.subject.peer)


QUEUED_NEVER_PULLED = Cause(
    "queued-never-pulled",
    "put on a queue and left there",
    Severity.FAULT,
    find,
    (UNPULLED_SECONDS,),
    springs_from=(Spring("queue-backlog", of_one_queue),),
    about="A send is put on a queue and never pulled: the queue stands for the take's last two seconds, or what was put later was pulled.",
    quiet="a queue that is still being emptied at the take's end.",
)
