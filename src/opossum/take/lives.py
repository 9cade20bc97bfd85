"""Which life of an object a record speaks of: objects of one name may come and go several times."""

from __future__ import annotations

import numpy as np

from opossum.stream.tables import Array
from opossum.take.indexes.objects import NEVER
from opossum.take.spans import LineSpans
from opossum.take.take import Take


class Lives:
    """Which life of an object is meant at a line: its spawn's row, or none where no spawn is told."""

    def __init__(self, take: Take) -> None:
        spawn = take.tables["spawn"]
        self._stride = len(take.strings) + 2
        self._spans = LineSpans(self._keys(spawn["p"], spawn["o"]), spawn["line"], np.full(len(spawn), NEVER))

    def _keys(self, peers: Array, objects: Array) -> Array:
        return np.asarray(peers, np.int64) * self._stride + np.asarray(objects, np.int64)

    def at(self, peers: Array, objects: Array, lines: Array) -> Array:
        """Return int64 (n,): the spawn (row) of each object that is meant at each line, -1 where none is told."""
        keys, lines = self._keys(peers, objects), np.asarray(lines, np.int64)
        born = self._spans.last_begun(keys, lines + 1)
        # used before its spawn record: it was being made
        return np.where(np.asarray(objects) < 0, -1, np.where(born >= 0, born, self._spans.next_begun(keys, lines)))
