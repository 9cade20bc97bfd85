"""Lives of objects: who was there when."""

from __future__ import annotations

import numpy as np

from opossum.stream.tables import Array
from opossum.take.index import Index
from opossum.take.recording import Recording

NEVER = np.iinfo(np.int64).max
"""Stands for a line or time that does not come within the take."""

UNKNOWN, ALIVE, GONE = -1, 1, 0


class ObjectLives:
    """Answers what is known of an object at a line of the stream.

    An object without a `spawn` in the take is `UNKNOWN` all along: recording may have begun after it.
    Asking is a binary search over the spawn and gone records.
    """

    def __init__(self, recording: Recording) -> None:
        spawn, gone = recording.tables["spawn"], recording.tables["gone"]
        self._stride = len(recording.strings) + 2
        spawn_key = self._keys(spawn["p"], spawn["o"])
        gone_key = self._keys(gone["p"], gone["o"])
        gone_known = np.isin(gone_key, spawn_key)
        keys = np.concatenate((spawn_key, gone_key[gone_known]))
        lines = np.concatenate((spawn["line"], gone["line"][gone_known])).astype(np.int64)
        alive = np.concatenate((np.ones(len(spawn_key), bool), np.zeros(int(gone_known.sum()), bool)))
        times = np.concatenate((spawn["t"], gone["t"][gone_known])).astype(np.int64)
        order = np.lexsort((lines, keys))
        self._key, self._line, self._alive, self._time = keys[order], lines[order], alive[order], times[order]
        starts = np.flatnonzero(np.diff(self._key, prepend=-2))
        self._known = self._key[starts]
        self._start = np.append(starts, len(self._key))
        classes = np.full(self._stride, -1, np.int64)
        classes[np.asarray(spawn["o"], np.int64)] = spawn["cls"]
        self._class = classes

    def _keys(self, peers: Array, objects: Array) -> Array:
        return np.asarray(peers, np.int64) * self._stride + np.asarray(objects, np.int64)

    def class_of(self, objects: Array) -> Array:
        """Return the class code of each object code, -1 where no spawn told it."""
        return self._class[np.asarray(objects, np.int64)]

    def state_at(self, peers: Array, objects: Array, lines: Array) -> Array:
        """Return int8 (n,): `ALIVE`, `GONE` or `UNKNOWN` for each (peer, object) just after that line."""
        state = np.full(len(objects), UNKNOWN, np.int8)
        keys = self._keys(peers, objects)
        if not len(self._known):
            return state
        place = np.minimum(np.searchsorted(self._known, keys), len(self._known) - 1)
        asked = np.flatnonzero((self._known[place] == keys) & (np.asarray(objects) >= 0))
        if not len(asked):
            return state
        # (object, line) as one ascending number: objects by rank, lines within
        stride = int(max(self._line.max(), np.max(lines))) + 2
        own = np.searchsorted(self._known, self._key) * stride + self._line
        wanted = place[asked].astype(np.int64) * stride + np.asarray(lines, np.int64)[asked]
        event = np.searchsorted(own, wanted, "right") - 1
        before_birth = (event < 0) | (self._key[np.maximum(event, 0)] != keys[asked])
        # used before its spawn record: it was being made
        state[asked] = np.where(before_birth | self._alive[np.maximum(event, 0)], ALIVE, GONE)
        return state

    def next_gone(self, peers: Array, objects: Array, lines: Array) -> tuple[Array, Array]:
        """Return (line, time in ns) of the first `gone` of each (peer, object) after that line, or `NEVER`."""
        found_line = np.full(len(objects), NEVER, np.int64)
        found_time = np.full(len(objects), NEVER, np.int64)
        dead = ~self._alive
        dead_key, dead_line, dead_time = self._key[dead], self._line[dead], self._time[dead]
        if not len(dead_key) or not len(objects):
            return found_line, found_time
        keys = self._keys(peers, objects)
        ranks = np.searchsorted(self._known, keys)
        ranks_known = (ranks < len(self._known)) & (self._known[np.minimum(ranks, len(self._known) - 1)] == keys)
        stride = int(max(self._line.max(), np.max(lines))) + 2
        own = np.searchsorted(self._known, dead_key) * stride + dead_line
        wanted = ranks.astype(np.int64) * stride + np.asarray(lines, np.int64)
        event = np.searchsorted(own, wanted, "right")
        hit = ranks_known & (np.asarray(objects) >= 0) & (event < len(own))
        hit &= dead_key[np.minimum(event, len(own) - 1)] == keys
        found_line[hit], found_time[hit] = dead_line[event[hit]], dead_time[event[hit]]
        return found_line, found_time

    def spawned(self, peers: Array, objects: Array) -> Array:
        """Return a boolean array (n,): whether the take tells of a `spawn` of each object."""
        keys = self._keys(peers, objects)
        if not len(self._known):
            return np.zeros(len(keys), bool)
        place = np.minimum(np.searchsorted(self._known, keys), len(self._known) - 1)
        return (self._known[place] == keys) & (np.asarray(objects) >= 0)

    def spans(self, peer: int, name: int) -> list[tuple[int, int]]:
        """Return the (spawn line, gone line or `NEVER`) pairs of one object."""
        return self._lives_by(self._line, peer, name)

    def lives(self, peer: int, name: int) -> list[tuple[int, int]]:
        """Return the (spawn, gone or `NEVER`) times in ns of each life of one object."""
        return self._lives_by(self._time, peer, name)

    def _lives_by(self, marked: Array, peer: int, name: int) -> list[tuple[int, int]]:
        """Return where each life of one object begins and ends, as its records are marked; it goes but once a life."""
        key = int(self._keys(np.array([peer]), np.array([name]))[0])
        low, high = np.searchsorted(self._key, [key, key + 1])
        lives: list[tuple[int, int]] = []
        for row in range(low, high):
            if self._alive[row]:
                lives.append((int(marked[row]), NEVER))
            elif lives and lives[-1][1] == NEVER:
                lives[-1] = (lives[-1][0], int(marked[row]))
        return lives


OBJECTS = Index("objects", ObjectLives, holds=(ObjectLives,), first=True)
