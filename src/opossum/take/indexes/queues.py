"""What went through queues, and how long each was."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from opossum.stream.tables import Array
from opossum.take.ids import IdIndex
from opossum.take.index import Index
from opossum.take.indexes.identities import SEND_IDS
from opossum.take.recording import Recording


class Queues(NamedTuple):
    """What went through queues, in time order: `name` (string code), `time_ns`, `length` after it, `send` row."""

    name: Array
    peer: Array
    time_ns: Array
    length: Array
    send: Array
    pulled: Array


def build_queues(recording: Recording, send_ids: IdIndex) -> Queues:
    """Merge puts and pulls and count each queue's length. Cost: n log n in puts and pulls."""
    put, pull = recording.tables["put"], recording.tables["pull"]

    def both(field: str) -> Array:
        return np.concatenate((np.asarray(put[field], np.int64), np.asarray(pull[field], np.int64)))

    name, peer, line, time = both("q"), both("p"), both("line"), both("t")
    pulled = np.concatenate((np.zeros(len(put), bool), np.ones(len(pull), bool)))
    send = send_ids.rows(peer, both("s"))
    order = np.lexsort((line, name, peer))
    name, peer, time, pulled, send = name[order], peer[order], time[order], pulled[order], send[order]
    steps = np.where(pulled, -1, 1)
    total = np.cumsum(steps)
    fresh = np.concatenate(([True], (np.diff(name) != 0) | (np.diff(peer) != 0))) if len(name) else np.zeros(0, bool)
    group = np.cumsum(fresh) - 1
    base = (total - steps)[fresh]
    length = total - base[group] if len(name) else total
    return Queues(name, peer, time, np.maximum(length, 0), send, pulled)


QUEUES = Index("queues", build_queues, (SEND_IDS,), holds=(Queues,))
