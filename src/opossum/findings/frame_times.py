"""When frames begin, in game time: which frame a moment is due in, and how long a frame is."""

from __future__ import annotations

import numpy as np

from opossum.findings.freeze.frozen import FREEZE_LONGER_THAN_MS, FREEZE_TIMES_MEDIAN, frozen
from opossum.findings.scene import Scene
from opossum.stream.tables import Array


class FrameTimes:
    """Frame beginnings in game time, asked through `scene.once(frame_times)`."""

    def __init__(self, scene: Scene) -> None:
        take = scene.take
        self._take = take
        self.start_ns: Array = take.holds.game_times(take.frames.peer, take.frames.start_ns)
        """Int64 (frames,): when each frame begins, on a clock that stands still while the game is held."""
        self.told_ns: Array = take.told_time.at(take.frames.peer, self.start_ns)
        """Int64 (frames,): the same on the clock that the game is told, which a stall may hold up."""
        length = np.append(np.diff(self.start_ns), 0)
        last = np.asarray(take.frames.peer_starts[1:], np.int64) - 1
        length[last[last >= 0]] = 0
        self.length_ns: Array = np.maximum(length, 0)
        """Int64 (frames,): from each frame's beginning to the next one's, 0 for a peer's last."""
        self.usual_ns: list[float] = [self._usual(scene, peer) for peer in range(len(take.peers))]
        """The usual length of a frame of each peer, waiting counted in."""

    def _usual(self, scene: Scene, peer: int) -> float:
        mine = self._take.frames.of_peer(peer)
        lengths = self.length_ns[mine][self._take.frames.settled[mine]]
        lengths = lengths[lengths > 0]
        return float(np.median(lengths)) if len(lengths) >= 3 else scene.budgets_ns[peer]

    def due_frame(self, peers: Array, due_ns: Array) -> Array:
        """Return int64 (n,): the first frame (row) of each peer (n,) that begins at or after a moment in game time.

        Beyond a peer's last frame it is the row after that.
        """
        return self._first_from(self.start_ns, peers, due_ns)

    def due_told(self, peers: Array, due_ns: Array) -> Array:
        """Return int64 (n,): the same for moments on the clock that the game is told."""
        return self._first_from(self.told_ns, peers, due_ns)

    def _first_from(self, starts: Array, peers: Array, due_ns: Array) -> Array:
        found = np.zeros(len(due_ns), np.int64)
        for peer in range(len(self._take.peers)):
            mine = np.flatnonzero(np.asarray(peers) == peer)
            frames = self._take.frames.of_peer(peer)
            found[mine] = frames.start + np.searchsorted(starts[frames], due_ns[mine], "left")
        return found

    def time_of(self, kind: str, rows: Array) -> Array:
        """Return int64 (n,): when records (rows) of one kind came, in game time."""
        table = self._take.tables[kind]
        return self._take.holds.game_times(np.asarray(table["p"])[rows], np.asarray(table["t"])[rows])

    def told_of(self, kind: str, rows: Array) -> Array:
        """Return int64 (n,): the same on the clock that the game is told."""
        peers = np.asarray(self._take.tables[kind]["p"])[rows]
        return self._take.told_time.at(peers, self.time_of(kind, rows))

    def beside(self, kind: str, rows: Array, marks: Array) -> Array:
        """Return int64 (n,): how many ns after its place each record came for a mark (row of `take.marks`), before: negative.

        By the clock on the wall or by the one the game is told, whichever is nearer: a game may go by either.
        """
        of = self._take.marks
        peers = np.asarray(self._take.tables["play"]["p"])[of.play[marks]]
        begin = of.begin_ns[of.play[marks]]
        by_wall = self.time_of(kind, rows) - of.due_ns[marks]
        by_told = self.told_of(kind, rows) - self._take.told_time.at(peers, begin) - (of.due_ns[marks] - begin)
        return np.where(np.abs(by_told) < np.abs(by_wall), by_told, by_wall)

    def mark_frames(self, marks: Array) -> Array:
        """Return int64 (n,): the first frame (row) in which each mark (row of `take.marks`) was due by either clock."""
        of = self._take.marks
        peers = np.asarray(self._take.tables["play"]["p"])[of.play[marks]]
        begin = of.begin_ns[of.play[marks]]
        told = self._take.told_time.at(peers, begin) + (of.due_ns[marks] - begin)
        return np.maximum(self.due_frame(peers, of.due_ns[marks]), self.due_told(peers, told))

    def with_its_mark(self, frames: Array, marks: Array) -> Array:
        """Return a boolean array (n,): what came in a frame (row) came no later than a mark (row of `take.marks`) itself could,
        however long the frame before took."""
        return frames <= self.mark_frames(marks)

    def taken_ns(self, frames: Array) -> Array:
        """Return int64 (n,): how long the machine was taken away from the game in each frame (row) and in the one before it:
        so much later may come what comes in it, and the game could not help it."""
        taken = np.asarray(self._take.frames.machine_ns, np.int64)
        before = np.append(0, taken[:-1])[: len(taken)]
        first = np.asarray(self._take.frames.peer_starts[:-1], np.int64)
        before[first[first < len(before)]] = 0
        return (taken + before)[frames]

    def frame_ns(self, peers: Array) -> Array:
        """Return float64 (n,): the usual length of a frame of each peer (n,)."""
        return np.array([*self.usual_ns, 0.0])[np.asarray(peers, np.int64)]


def frame_times(scene: Scene) -> FrameTimes:
    """Return when frames begin; asked through `scene.once`."""
    return FrameTimes(scene)


def stalls(scene: Scene) -> Array:
    """Return a boolean array (frames,): the game stood still in that frame, working or waiting; asked through `scene.once`.

    Waiting counts too: who counts frames or time is thrown off by either.
    """
    take, times = scene.take, scene.once(frame_times)
    usual = times.frame_ns(take.frames.peer)
    stood = times.length_ns > np.maximum(scene[FREEZE_LONGER_THAN_MS] * 1e6, scene[FREEZE_TIMES_MEDIAN] * usual)
    stood[scene.once(frozen).rows] = True
    return stood


def play_ends(scene: Scene) -> Array:
    """Return int64 (peers,): when each peer's play ended, in game time; asked through `scene.once`.

    What was recorded of a last frame that froze is no play: nothing could come in it.
    """
    take, times = scene.take, scene.once(frame_times)
    peers = np.arange(len(take.peers))
    ends = take.holds.game_times(peers, take.recording.last_times[: len(peers)]).copy()
    stood = set(scene.once(frozen).rows)
    for peer in peers.tolist():
        last = take.frames.of_peer(peer).stop - 1
        if last in stood:
            ends[peer] = times.start_ns[last]
    return ends
