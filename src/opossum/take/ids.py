"""Finding the row of an id: ids are unique per kind within a peer, so the key is (peer, id)."""

from __future__ import annotations

import numpy as np

from opossum.stream.tables import Array

SPARSE_FACTOR = 8
"""A direct table is used while it has at most this many places an id; beyond, ids are sorted."""


class IdIndex:
    """Maps (peer, id) to a row. Of duplicate ids the first row counts; `duplicates` holds the other rows.

    Building and asking are linear for the usual dense ids (one array access each), n log n for sparse ones.
    """

    def __init__(self, peers: Array, ids: Array) -> None:
        """Index `ids` (n,) of `peers` (n,); an id of 0 is absent and never found."""
        self._count = len(ids)
        self._dense: Array | None = None
        self._offsets = np.zeros(1, np.int64)
        self._limits = np.zeros(1, np.int64)
        self._rows = np.zeros(0, np.int64)
        self.duplicates = np.zeros(0, np.int64)
        if not self._count:
            return
        peers, ids = np.asarray(peers, np.int64), np.asarray(ids, np.int64)
        peer_count = int(peers.max()) + 1
        limits = np.zeros(peer_count, np.int64)
        if peer_count == 1:
            limits[0] = ids.max()
        else:
            np.maximum.at(limits, peers, ids)
        self._limits = limits
        total = float(limits.astype(np.float64).sum())
        if total < SPARSE_FACTOR * self._count + 65536:
            self._offsets = np.concatenate(([0], np.cumsum(limits + 1)))
            table = np.full(int(self._offsets[-1]), -1, np.int32)
            keys = ids if peer_count == 1 else self._offsets[peers] + ids
            table[keys[::-1]] = np.arange(self._count - 1, -1, -1, dtype=np.int32)
            self._dense = table
            self.duplicates = np.flatnonzero(table[keys] != np.arange(self._count))
            table[self._offsets[:-1]] = -1
        else:
            order = np.lexsort((ids, peers))
            same = (np.diff(ids[order]) == 0) & (np.diff(peers[order]) == 0)
            first = np.concatenate(([True], ~same))
            self.duplicates = np.sort(order[~first])
            self._rows = order[first]
            self._by_peer = [self._rows[peers[self._rows] == peer] for peer in range(peer_count)]
            self._ids_by_peer = [ids[rows] for rows in self._by_peer]

    def rows(self, peers: Array, ids: Array) -> Array:
        """Return int32 (m,): the row of each (peer, id), -1 where there is none."""
        if not self._count or not len(ids):
            return np.full(len(ids), -1, np.int32)
        ids = np.asarray(ids, np.int64)
        if len(self._limits) == 1:
            known = np.asarray(peers) == 0
            limit: Array | np.int64 = self._limits[0]
        else:
            peers = np.asarray(peers, np.int64)
            known = (peers >= 0) & (peers < len(self._limits))
            peers = np.where(known, peers, 0)
            limit = self._limits[peers]
        known &= (ids > 0) & (ids <= limit)
        if self._dense is not None:
            keys = np.where(known, ids, 0)
            if len(self._limits) > 1:
                keys = keys + self._offsets[peers]
            return self._dense[keys]
        found = np.full(len(ids), -1, np.int32)
        peers = np.broadcast_to(peers, ids.shape) if len(self._limits) > 1 else np.zeros(len(ids), np.int64)
        for peer, (rows, own_ids) in enumerate(zip(self._by_peer, self._ids_by_peer, strict=True)):
            mine = np.flatnonzero(known & (peers == peer))
            if not len(mine) or not len(rows):
                continue
            place = np.searchsorted(own_ids, ids[mine])
            place = np.minimum(place, len(rows) - 1)
            hit = own_ids[place] == ids[mine]
            found[mine[hit]] = rows[place[hit]]
        return found
