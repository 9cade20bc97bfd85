"""How long what was put on a queue waited there, and how long each queue was when frames ended."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from opossum.stream.tables import Array
from opossum.take.grouping import Runs, joined
from opossum.take.ids import IdIndex
from opossum.take.index import Index
from opossum.take.indexes.frames import FRAMES, Frames
from opossum.take.indexes.holds import HOLDS, Holds
from opossum.take.indexes.identities import SEND_IDS
from opossum.take.recording import Recording


class QueueWaits(NamedTuple):
    """Columns beside the `put` table, one row a put.

    `queue`: number of its (peer, queue); `send`: row, or -1; `frame`: frame row; `time_ns`: game time; `pull`: row of the
    pull that took it off, -1 where none did; `pull_frame`, `pull_ns`: of that pull (-1 where none).
    `pull_queue`: (pulls,) the number of the queue each pull is of.
    """

    queue: Array
    send: Array
    frame: Array
    time_ns: Array
    pull: Array
    pull_frame: Array
    pull_ns: Array
    pull_queue: Array


def build_queue_waits(recording: Recording, frames: Frames, holds: Holds, send_ids: IdIndex) -> QueueWaits:
    """Join each put with its pull: the n-th put of a send with the n-th pull. Cost: two sorts of puts and pulls."""
    put, pull = recording.tables["put"], recording.tables["pull"]
    of_put, of_pull = joined((put["p"], put["q"], put["s"]), (pull["p"], pull["q"], pull["s"]))
    queue, pull_queue = joined((put["p"], put["q"]), (pull["p"], pull["q"]))
    found = np.full(len(put), -1, np.int64)
    if len(put) and len(pull):
        puts, pulls = Runs(of_put), Runs(of_pull)
        size = np.zeros(int(max(of_put.max(), of_pull.max())) + 1, np.int64)
        start = np.zeros(len(size), np.int64)
        groups = of_pull[pulls.order[pulls.starts]]
        size[groups], start[groups] = pulls.sizes, pulls.starts
        code = of_put[puts.order]
        known = puts.rank < size[code]
        found[puts.order[known]] = pulls.order[start[code[known]] + puts.rank[known]]
    pull_frame = np.append(frames.rows_of_lines(pull["p"], pull["line"]), np.int32(-1))[found]
    pull_ns = np.append(holds.game_times(pull["p"], pull["t"]), np.int64(-1))[found]
    return QueueWaits(
        queue,
        send_ids.rows(put["p"], put["s"]),
        frames.rows_of_lines(put["p"], put["line"]),
        holds.game_times(put["p"], put["t"]),
        found,
        pull_frame,
        pull_ns,
        pull_queue,
    )


QUEUE_WAITS = Index("queue_waits", build_queue_waits, (FRAMES, HOLDS, SEND_IDS))
