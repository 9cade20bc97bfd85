"""When each game was held at a tripwire: time that is not the game's."""

from __future__ import annotations

import numpy as np

from opossum.stream.tables import Array
from opossum.take.index import Index
from opossum.take.recording import Recording
from opossum.take.stretches import covered_ns


class Holds:
    """Stretches in which games were held, sorted and disjoint: `starts` and `ends` in ns, one array a peer."""

    def __init__(self, starts: list[Array], ends: list[Array]) -> None:
        self.starts = starts
        self.ends = ends

    def game_times(self, peers: Array, times_ns: Array) -> Array:
        """Return int64 (n,): moments on a clock that stands still while the game of each peer (n,) is held."""
        times = np.asarray(times_ns, np.int64)
        if not any(len(starts) for starts in self.starts):
            return times
        game = times.copy()
        for peer, (starts, ends) in enumerate(zip(self.starts, self.ends, strict=True)):
            if len(starts):
                mine = np.asarray(peers) == peer
                game[mine] -= covered_ns(starts, ends, times[mine])
        return game


def build_holds(recording: Recording) -> Holds:
    """Join `held` with `went`; a hold without an end lasts to its peer's end. Linear in both."""
    stretches = [_held_stretches(recording, peer) for peer in range(len(recording.peers))]
    return Holds([starts for starts, _ in stretches], [ends for _, ends in stretches])


def _held_stretches(recording: Recording, peer: int) -> tuple[Array, Array]:
    held, went = (
        np.sort(np.asarray(recording.tables[kind]["t"], np.int64)[recording.rows_of_peer(kind, peer)])
        for kind in ("held", "went")
    )
    if not len(held):
        return held, held
    place = np.searchsorted(went, held, "left")
    went = np.append(went, recording.peers[peer].last_t)
    ends = went[np.minimum(place, len(went) - 1)]
    first_of_end = np.concatenate(([True], ends[1:] != ends[:-1]))
    return held[first_of_end], ends[first_of_end]


HOLDS = Index("holds", build_holds, holds=(Holds,), first=True)
