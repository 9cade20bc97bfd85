"""What the causes share: each queue's length at the end of frames, how it grows, and how queues are told."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from opossum.findings.finding import Subject
from opossum.findings.frame_times import frame_times
from opossum.findings.scene import Scene
from opossum.findings.settings import Threshold
from opossum.stream.tables import Array
from opossum.take.grouping import distinct, parted

BACKLOG_GROWTH = Threshold("backlog_growth", 0.5, "sends a second", "slower growth takes minutes to matter")
BACKLOG_MORE = Threshold("backlog_more", 20, "sends", "a few more at the end may be the last burst")


class Queue(NamedTuple):
    """One queue of one peer: its `puts` (rows), its length at the end of each frame, and the fitted growth a second over
    the take's last half (0 where it does not grow)."""

    peer: int
    name: int
    puts: Array
    frames: Array
    lengths: Array
    growth: float


def queues(scene: Scene) -> list[Queue]:
    """Return the queues of a take. Linear in puts, pulls and frames, for each queue."""
    take, waits = scene.take, scene.take.queue_waits
    put, pull = take.tables["put"], take.tables["pull"]
    found = []
    pull_frame = take.frames.rows_of_lines(pull["p"], pull["line"]).astype(np.int64)
    # a send pulled once more was never put again: it does not make the queue shorter
    answered = np.zeros(len(pull), bool)
    answered[waits.pull[waits.pull >= 0]] = True
    for puts in parted(waits.queue):
        peer, name = int(put["p"][puts[0]]), int(put["q"][puts[0]])
        frames = take.frames.of_peer(peer)
        count = frames.stop - frames.start
        if not count:
            continue
        put_frame = np.maximum(waits.frame[puts].astype(np.int64), frames.start)
        mine = (waits.pull_queue == waits.queue[puts[0]]) & answered
        steps = np.bincount(put_frame - frames.start, minlength=count).astype(np.int64)
        steps -= np.bincount(np.maximum(pull_frame[mine], frames.start) - frames.start, minlength=count)
        lengths = np.cumsum(steps)
        found.append(
            Queue(peer, name, puts, np.arange(frames.start, frames.stop), lengths, _growth(scene, frames, lengths))
        )
    return found


def _growth(scene: Scene, frames: slice, lengths: Array) -> float:
    """Return the growth a second, fitted by least squares over the last half of a peer's play, 0 where it is too little."""
    start = scene.once(frame_times).start_ns[frames] / 1e9
    half = start >= (start[0] + start[-1]) / 2
    times, values = start[half], lengths[half].astype(np.float64)
    if len(times) < 3 or times[-1] <= times[0]:
        return 0.0
    spread = times - times.mean()
    slope = float((spread * (values - values.mean())).sum() / (spread * spread).sum())
    enough = values[-1] - values[0] >= scene[BACKLOG_MORE]
    return slope if slope >= scene[BACKLOG_GROWTH] and enough else 0.0


def subject_of_queue(scene: Scene, queue: Queue) -> Subject:
    """Return the subject of a queue: its event too, where it carries but one."""
    take = scene.take
    sends = take.queue_waits.send[queue.puts]
    events = distinct(np.asarray(take.tables["send"]["ev"])[sends[sends >= 0]])
    return Subject(
        q=take.text(queue.name),
        ev=take.text(int(events[0])) if len(events) == 1 else "",
        peer=scene.peer_name(queue.peer),
    )


def place_of_puts(scene: Scene, queue: Queue) -> str:
    """Return the source place that first sent what was put on a queue."""
    sends = scene.take.queue_waits.send[queue.puts]
    return scene.place_of_sends(sends[sends >= 0][:1])


def waited_frames(scene: Scene, queue: Queue) -> tuple[Array, Array]:
    """Return (puts that were pulled, frames each waited)."""
    waits = scene.take.queue_waits
    pulled = queue.puts[waits.pull[queue.puts] >= 0]
    return pulled, (waits.pull_frame[pulled] - waits.frame[pulled]).astype(np.int64)
