"""Who listened to what, and when: what several kinds ask of the binds."""

from __future__ import annotations

from functools import cached_property

import numpy as np

from opossum.findings.scene import Scene
from opossum.stream.tables import Array
from opossum.take.indexes.objects import NEVER
from opossum.take.spans import LineSpans


class Listening:
    """The binds of a take as spans of lines, by (peer, event), asked through `scene.once(listening)`."""

    def __init__(self, scene: Scene) -> None:
        self._scene = scene
        take = scene.take
        table, binds = take.tables["bind"], take.binds
        self._texts = len(take.strings) + 2
        self.key: Array = self.keys(table["p"], table["ev"])
        """Int64 (binds,): the number of each bind's (peer, event)."""
        self.begin: Array = np.asarray(table["line"], np.int64)
        self.unbound: Array = binds.unbind_line
        self.owner: Array = np.asarray(table["o"], np.int64)
        self.source: Array = np.asarray(table["src"], np.int64)
        by_input = take.code("input")
        self.by_player: Array = (np.asarray(table["via"]) == by_input) & (by_input >= 0)
        """Boolean (binds,): what it listens to is the player's to send."""
        self.bound = LineSpans(self.key, self.begin, self.unbound)
        """Open from bind to unbind."""

    def keys(self, peers: Array, events: Array) -> Array:
        """Return int64 (n,): a number for each (peer, event)."""
        return np.asarray(peers, np.int64) * self._texts + np.asarray(events, np.int64)

    def of_sends(self, sends: Array) -> Array:
        """Return int64 (n,): the number of each send's (peer, event)."""
        table = self._scene.take.tables["send"]
        return self.keys(table["p"][sends], table["ev"][sends])

    @cached_property
    def called(self) -> Array:
        """Boolean (binds,): the listener was called, by this bind or, where calls do not tell it, by owner and function."""
        take = self._scene.take
        flags = np.zeros(len(self.key) + 1, bool)
        flags[take.calls.bind] = True
        flags = flags[:-1]
        loose = np.flatnonzero(take.calls.bind < 0)
        if len(loose):
            table, listeners = take.tables["bind"], take.listeners
            used = np.unique(take.calls.listener[loose])
            known = set(
                zip(
                    listeners.peer[used].tolist(),
                    listeners.event[used].tolist(),
                    listeners.owner[used].tolist(),
                    listeners.function[used].tolist(),
                    strict=True,
                )
            )
            names = (np.asarray(table[field]).tolist() for field in ("p", "ev", "o", "fn"))
            flags |= np.array([one in known for one in zip(*names, strict=True)], bool)
        return flags

    def fits(self, binds: Array, sends: Array) -> Array:
        """Return a boolean array (n,): each bind would hear each send: no other sender asked for, none other addressed."""
        table = self._scene.take.tables["send"]
        sender, to = (np.asarray(table[field][sends], np.int64) for field in ("o", "to"))
        source, owner = self.source[binds], self.owner[binds]
        return ((source < 0) | (source == sender)) & ((to < 0) | (to == owner))

    def lives_on(self) -> Array:
        """Return a boolean array (binds,): bound to the take's end, its owner still there."""
        return (self.unbound == NEVER) & (self._scene.take.binds.owner_gone_line == NEVER)


def listening(scene: Scene) -> Listening:
    """Return who listened to what; asked through `scene.once`."""
    return Listening(scene)
