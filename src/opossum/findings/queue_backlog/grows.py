"""Grows: more is put on a queue than is pulled from it."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from opossum.findings.declaring import Cause
from opossum.findings.finding import Found, Severity
from opossum.findings.queue_backlog.lengths import (
    BACKLOG_GROWTH,
    BACKLOG_MORE,
    place_of_puts,
    queues,
    subject_of_queue,
    waited_frames,
)
from opossum.findings.scene import Scene
from opossum.findings.wording import at_place
from opossum.words import counted, tr


def find(scene: Scene) -> Iterator[Found]:
    """Yield queues that grow."""
    take = scene.take
    for queue in scene.once(queues):
        if not queue.growth:
            continue
        subject = subject_of_queue(scene, queue)
        highest = np.maximum.accumulate(queue.lengths)
        longer = np.concatenate(([highest[0] > 0], highest[1:] > highest[:-1]))
        pulled, waited = waited_frames(scene, queue)
        worst = (
            tr("; what was pulled waited up to {frames}", frames=counted(int(waited.max()), "frame"))
            if waited.any()
            else ""
        )
        left = queue.puts[take.queue_waits.pull[queue.puts] < 0]
        evidence = scene.evidence("put", left[:6].tolist(), tr("still on the queue at the end"))
        evidence += scene.evidence("put", pulled[waited > 0][-2:].tolist(), tr("pulled late"))
        yield Found(
            subject=subject,
            frame_rows=queue.frames[longer],
            count=int(queue.lengths[-1]),
            summary=tr(
                "Queue `{q}` grows by {growth:.1f} sends a second and holds {lengths:,} at the end{worst}.",
                q=subject.q,
                growth=queue.growth,
                lengths=int(queue.lengths[-1]),
                worst=worst,
            ),
            advice=tr(
                "Pull more of `{q}` in each frame, put less on it{place}, or drop what is too old to matter.",
                q=subject.q,
                place=at_place(place_of_puts(scene, queue)),
            ),
            evidence=tuple(evidence),
        )


GROWS = Cause(
    "grows",
    "faster than it is emptied",
    Severity.FAULT,
    find,
    (BACKLOG_GROWTH, BACKLOG_MORE),
    about="A queue's length at the end of frames rises over the take's last half.",
    quiet="a burst that is worked off.",
)
