"""Waits: what is put on a queue lies there for frames before it is pulled."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from opossum.findings.declaring import Cause
from opossum.findings.finding import Found, Severity
from opossum.findings.queue_backlog.lengths import place_of_puts, queues, subject_of_queue, waited_frames
from opossum.findings.scene import Scene
from opossum.findings.settings import Threshold
from opossum.findings.wording import at_place
from opossum.words import counted, tr

QUEUE_WAIT_FRAMES = Threshold(
    "queue_wait_frames", 2, "frames", "a queue may pass on in this frame or the next what it is given"
)
FEWEST_PULLS = 3
"""A median of fewer says nothing."""


def find(scene: Scene) -> Iterator[Found]:
    """Yield queues that let things wait, and do not grow."""
    for queue in scene.once(queues):
        pulled, waited = waited_frames(scene, queue)
        if queue.growth or len(waited) < FEWEST_PULLS or np.median(waited) <= scene[QUEUE_WAIT_FRAMES]:
            continue
        subject = subject_of_queue(scene, queue)
        late = pulled[waited > scene[QUEUE_WAIT_FRAMES]]
        evidence = scene.evidence("put", late[:4].tolist(), tr("put here"))
        evidence += scene.evidence("pull", scene.take.queue_waits.pull[late[:4]].tolist(), tr("pulled here"))
        yield Found(
            subject=subject,
            frame_rows=scene.take.queue_waits.pull_frame[late],
            count=len(late),
            summary=tr(
                "What is put on queue `{q}` waits {frames} in the median, {frames2} at worst ({sends} pulled).",
                q=subject.q,
                frames=counted(int(np.median(waited)), "frame"),
                frames2=counted(int(waited.max()), "frame"),
                sends=counted(len(waited), "send"),
            ),
            advice=tr(
                "Pull `{q}` in each frame until it is empty, or in the phase after the one that fills it{place}.",
                q=subject.q,
                place=at_place(place_of_puts(scene, queue)),
            ),
            evidence=tuple(evidence),
        )


WAITS = Cause(
    "waits",
    "later than it could be",
    Severity.RISK,
    find,
    (QUEUE_WAIT_FRAMES,),
    about="What is put on a queue waits more than two frames in the median, and the queue does not grow.",
    quiet="fewer than three pulls.",
)
