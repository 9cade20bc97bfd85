"""Which call ran when a line was written, by how calls enclose each other, for many lines at once."""

from __future__ import annotations

import numpy as np

from opossum.stream.tables import Array
from opossum.take.recording import Recording


class Nesting:
    """Answers which call of a thread was the innermost that ran at a line. Building costs a sort of calls and returns."""

    def __init__(self, recording: Recording, ret: Array, among: Array | None = None) -> None:
        """Look into all calls, or into some (`among`, rows, ascending): asked is then only what they enclose.

        `ret`: int (calls,), the row of each call's `ret`, -1 where it never returned.
        """
        table, returns = recording.tables["call"], recording.tables["ret"]
        self._among = np.arange(len(table)) if among is None else among
        count = len(self._among)
        self._begin = np.asarray(table["line"], np.int64)[self._among]
        ret = np.asarray(ret, np.int64)[self._among]
        known = ret >= 0
        self._end = np.full(count, np.iinfo(np.int64).max, np.int64)
        self._end[known] = np.asarray(returns["line"], np.int64)[ret[known]]
        self._stride = 2 + max(int(self._begin.max(initial=0)), int(self._end[known].max(initial=0)))
        self._thread = _threads(np.asarray(table["p"])[self._among], np.asarray(table["th"])[self._among])
        # depth within a thread: calls begun less calls ended, in order of lines
        threads = np.concatenate((self._thread, self._thread[known]))
        lines = np.concatenate((self._begin, self._end[known]))
        steps = np.concatenate((np.ones(count, np.int64), -np.ones(int(known.sum()), np.int64)))
        order = np.lexsort((lines, threads))
        self._moments = threads[order] * self._stride + lines[order]
        total = np.cumsum(steps[order])
        fresh = np.diff(threads[order], prepend=-1) != 0
        base = (total - steps[order])[fresh]
        self._depth = total - (
            np.repeat(base, np.diff(np.append(np.flatnonzero(fresh), len(order)))) if len(order) else 0
        )
        place = np.empty(len(order), np.int64)
        place[order] = np.arange(len(order))
        depth_of_call = self._depth[place[:count]] if count else self._depth
        # calls by (thread, depth, line): of those at one depth the last begun is the one that may still run
        deepest = max(1, int(depth_of_call.max(initial=0))) + 1
        self._levels = deepest
        keys = (self._thread * deepest + np.clip(depth_of_call, 0, deepest - 1)) * self._stride + self._begin
        self._rows = np.argsort(keys, kind="stable")
        self._keys = keys[self._rows]

    def call_at(self, peers: Array, threads: Array, lines: Array) -> Array:
        """Return int32 (n,): the call (row) that ran innermost on each peer's thread when a line was written, or -1."""
        if not len(lines) or not len(self._begin):
            return np.full(len(lines), -1, np.int32)
        lines = np.minimum(np.asarray(lines, np.int64), self._stride - 1)
        thread = _threads(peers, threads)
        moment = np.searchsorted(self._moments, thread * self._stride + lines, "right") - 1
        within = (moment >= 0) & (self._moments[np.maximum(moment, 0)] // self._stride == thread)
        depth = np.where(within, self._depth[np.maximum(moment, 0)], 0)
        wanted = (thread * self._levels + np.clip(depth, 0, self._levels - 1)) * self._stride + lines
        place = np.searchsorted(self._keys, wanted, "right") - 1
        row = self._rows[np.maximum(place, 0)]
        runs = (place >= 0) & (depth > 0) & (self._begin[row] < lines) & (self._end[row] > lines)
        runs &= self._thread[row] == thread
        return np.where(runs, self._among[row], -1).astype(np.int32)


def _threads(peers: Array, threads: Array) -> Array:
    """Return int64 (n,): one number for each (peer, thread)."""
    return np.asarray(peers, np.int64) * 4096 + np.clip(np.asarray(threads, np.int64) + 1, 0, 4095)
