"""One side of a comparison: a take, or one peer of it."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np

from opossum.stream.tables import Array
from opossum.take.take import Take


@dataclass(eq=False, repr=False)
class Side:
    """A take as one side; `peer` narrows it to one peer (-1: all), `label` is what sentences call it."""

    take: Take
    label: str
    peer: int = -1

    def rows(self, kind: str) -> Array:
        """Return the rows of one kind of record that belong to this side, ascending."""
        table = self.take.tables[kind]
        if self.peer < 0:
            return np.arange(len(table))
        return np.flatnonzero(np.asarray(table["p"]) == self.peer)

    @cached_property
    def frames(self) -> Array:
        """Frame rows of this side."""
        frames = self.take.frames
        if self.peer < 0:
            return np.arange(len(frames))
        return np.arange(len(frames))[frames.of_peer(self.peer)]

    @cached_property
    def calls(self) -> Array:
        """Boolean (calls,): which calls belong to this side."""
        if self.peer < 0:
            return np.ones(len(self.take.calls), bool)
        return np.asarray(self.take.tables["call"]["p"]) == self.peer

    @cached_property
    def end_s(self) -> float:
        """Seconds told to the game when this side ends (see `seconds`)."""
        spans = self.take.peers if self.peer < 0 else [self.take.peers[self.peer]]
        peers = np.arange(len(self.take.peers)) if self.peer < 0 else np.array([self.peer])
        if not spans:
            return 0.0
        return float(self.seconds(peers, np.array([span.last_t for span in spans])).max())

    def seconds(self, peers: Array, times_ns: Array) -> Array:
        """Return float64 (n,): moments in seconds as the game was told of time, from the side's first record on."""
        told = self.take.told_time.at(peers, self.take.holds.game_times(peers, times_ns))
        spans = self.take.peers if self.peer < 0 else [self.take.peers[self.peer]]
        return (told - min((span.first_t for span in spans), default=0)) / 1e9
