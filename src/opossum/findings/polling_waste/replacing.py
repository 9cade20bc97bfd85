"""Which event already in the take could call a poll instead."""

from __future__ import annotations

import math
from typing import NamedTuple

import numpy as np

from opossum.findings.scene import Scene
from opossum.findings.settings import Threshold
from opossum.stream.tables import Array
from opossum.take.grouping import Groups, distinct, factorised

POLLING_EVENT_SHARE = Threshold(
    "polling_event_share", 0.9, "share of the finds", "an event that misses one find in ten cannot replace the poll"
)

MOST_SENDS_FOR_AN_EVENT = 2.0
"""An event that comes more than this many times as often as the poll finds something does not tell it apart."""

FEWEST_HITS = 3
"""With fewer finds, any event could have come along by chance."""


class Replacement(NamedTuple):
    """An event already in the take that comes just when the poll finds something.

    `delay_ns`: how much later than it the poll found that, on average; infinite where it always came after.
    """

    event: int
    share: float
    delay_ns: float


class _Events(NamedTuple):
    """Sends that may replace a poll, by number of their (peer, event).

    `number` (sends,): -1 for ticks; `by_event` groups send rows by it; `peer`, `first` (a send): of each number.
    `by_cause`, `by_top`: send rows by the call they came from, and by the outermost one.
    """

    number: Array
    by_event: Groups
    peer: Array
    first: Array
    by_cause: Groups
    by_top: Groups


def _events(scene: Scene) -> _Events:
    """Return all sends but ticks by event; a few sorts of the sends, asked once for all polls."""
    take, calls = scene.take, len(scene.take.calls)
    sends, cause = take.tables["send"], take.sends.cause
    rows = np.flatnonzero((np.asarray(sends["via"]) != take.code("tick")) & (take.sends.frame >= 0))
    peers = np.asarray(sends["p"])[rows]
    codes, first = factorised(peers, np.asarray(sends["ev"])[rows])
    number = np.full(len(sends), -1, np.int64)
    number[rows] = codes
    top = np.append(scene.top, np.int32(-1))[cause]
    return _Events(
        number, Groups(number, len(first)), peers[first], rows[first], Groups(cause, calls), Groups(top, calls)
    )


def replacement(scene: Scene, peer: int, group: Array, hits: Array) -> Replacement | None:
    """Return the event whose sends best coincide with the poll's finds (`hits`, rows), or None.

    It must come within one frame of at least `polling_event_share` of the finds, not much more often than
    they, and not from the poll itself.  Cost: the sends of events that are as rare as the finds.
    """
    take, calls = scene.take, scene.take.calls
    if len(hits) < FEWEST_HITS:
        return None
    events = scene.once(_events)
    hit_frames = distinct(calls.frame[hits]).astype(np.int64)
    # what the poll itself sends is its effect, not its cue
    own = distinct(np.concatenate((events.by_cause.rows_of_all(group), events.by_top.rows_of_all(group))))
    sizes = events.by_event.sizes()
    others = sizes - np.bincount(events.number[own][events.number[own] >= 0], minlength=len(sizes))
    # one send is near the finds of three frames at most: its own, the one before and the one after
    likely = (others * 3 >= scene[POLLING_EVENT_SHARE] * len(hit_frames)) & (
        others <= MOST_SENDS_FOR_AN_EVENT * len(hit_frames)
    )
    best: tuple[tuple[int, float], Replacement] | None = None
    for event in np.flatnonzero(likely & (events.peer == peer) & (others > 0)).tolist():
        rows = events.by_event.rows(event)
        if others[event] < sizes[event]:
            rows = np.setdiff1d(rows, own, assume_unique=True)
        frames = np.sort(take.sends.frame[rows].astype(np.int64))
        met = np.searchsorted(frames, hit_frames + 1, "right") > np.searchsorted(frames, hit_frames - 1, "left")
        share = float(met.mean())
        if share < scene[POLLING_EVENT_SHARE]:
            continue
        delay = _mean_delay(scene, hits, rows)
        code = int(take.tables["send"]["ev"][events.first[event]])
        # the rarest tells the finds apart best; of equals, the one that comes last before them
        rank = (len(rows), delay)
        if best is None or rank < best[0]:
            best = (rank, Replacement(code, share, delay))
    return best[1] if best else None


def _mean_delay(scene: Scene, hits: Array, sends: Array) -> float:
    """Return how much later than the event, in its frame or the next, the poll found what it told of, in ns on average;
    infinite where it came after every find."""
    take, calls = scene.take, scene.take.calls
    times = np.asarray(take.tables["send"]["t"], np.int64)[sends]
    place = np.searchsorted(times, calls.start_ns[hits], "right") - 1
    last = np.maximum(place, 0)
    just_then = (place >= 0) & (take.sends.frame[sends[last]] >= calls.frame[hits] - 1)
    delays = (calls.start_ns[hits] - times[last])[just_then]
    return float(delays.mean()) if len(delays) else math.inf


def interval_ns(scene: Scene, group: Array) -> float:
    """Return how often one listener of calls (rows) looks, in ns: as was asked of their timers or delays, where they come as
    often as that; else by the median time between the frames in which it runs.

    What runs several times in a frame for one send looks once: nothing changes in between.
    """
    calls = scene.take.calls
    order = np.lexsort((calls.start_ns[group], calls.listener[group]))
    rows = group[order]
    fresh = np.diff(calls.listener[rows]) != 0
    first = np.append(True, fresh | (np.diff(calls.frame[rows]) != 0))
    sends = np.append(True, fresh | (np.diff(calls.send[rows]) != 0))
    steps = np.diff(calls.start_ns[rows[first]])[np.diff(calls.listener[rows[first]]) == 0]
    seen = float(np.median(steps)) if len(steps) else 0.0
    asked = _asked_ns(scene, group)
    return asked if asked >= seen else max(asked, seen * np.count_nonzero(first) / np.count_nonzero(sends))


def _asked_ns(scene: Scene, group: Array) -> float:
    """Return the median of what was asked of the timers and delays that made calls (rows), in ns; 0 where none tells it."""
    take = scene.take
    sends, arms = take.tables["send"], take.tables["arm"]
    send = take.calls.send[group]
    arm = take.arm_ids.rows(np.asarray(sends["p"])[send], np.asarray(sends["a"])[send])
    arm = arm[arm >= 0]
    frame_ns = np.array(scene.budgets_ns)[np.asarray(arms["p"])[arm]]
    seconds = np.asarray(arms["sec"], np.float64)[arm] * 1e9
    asked = np.where(np.isfinite(seconds), seconds, np.asarray(arms["frames"], np.float64)[arm] * frame_ns)
    asked = asked[asked > 0]
    return float(np.median(asked)) if len(asked) else 0.0
