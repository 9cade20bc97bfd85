"""What the causes share: which delay was set together with which clip, and landed while it played."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from opossum.findings.clips import clips
from opossum.findings.scene import Scene
from opossum.stream.tables import Array
from opossum.take.grouping import Groups, factorised

MOST_CLIPS_AT_ONCE = 8
"""Clips that an owner starts near one delay and that are looked at."""


class Landings(NamedTuple):
    """One row for each landing of a delay within a clip it began with: `arm`, `play`, `send` rows, and the landing's time
    in game time."""

    arm: Array
    play: Array
    send: Array
    at_ns: Array


def landings(scene: Scene) -> Landings:
    """Return delays paired with the clips they were set with: by owner, within one frame or from one call, landing while
    the clip plays. Cost: a sort of plays by owner, a binary search for each delay.
    """
    take, known = scene.take, scene.once(clips)
    table = take.tables["arm"]
    nothing = np.zeros(0, np.int64)
    asked = np.flatnonzero(
        (np.asarray(table["what"]) == take.code("delay"))
        & (np.asarray(table["o"]) >= 0)
        & (take.arms.firings.sizes() > 0)
        & (take.arms.event >= 0)
    )
    with_owner = np.flatnonzero(known.counted() & known.timed())
    if not len(asked) or not len(with_owner):
        return Landings(nothing, nothing, nothing, nothing)
    peers = np.asarray(table["p"], np.int64)[asked]
    owners, _ = factorised(
        np.concatenate((peers, known.peer[with_owner])),
        np.concatenate((np.asarray(table["o"], np.int64)[asked], known.owner[with_owner])),
    )
    of_arm, of_play = owners[: len(asked)], owners[len(asked) :]
    by_owner = Groups(of_play, int(owners.max()) + 1)
    frame = take.frames.rows_of_lines(peers, np.asarray(table["line"], np.int64)[asked]).astype(np.int64)
    stride = len(take.frames) + 4
    ordered = with_owner[by_owner.order]
    place_of = of_play[by_owner.order].astype(np.int64) * stride + known.begin_frame[ordered] + 2
    # the plays of one owner stand in order of their frames
    first = np.searchsorted(place_of, of_arm.astype(np.int64) * stride + frame + 1, "left")
    last = np.searchsorted(place_of, of_arm.astype(np.int64) * stride + frame + 3, "right")
    send = take.arms.firings.order[take.arms.firings.starts[asked]].astype(np.int64)
    sends = take.tables["send"]
    landed = np.asarray(sends["line"], np.int64)[send]
    at = take.holds.game_times(np.asarray(sends["p"])[send], np.asarray(sends["t"])[send])
    over = _ends_untold(scene)
    found: list[tuple[Array, Array]] = []
    for step in range(MOST_CLIPS_AT_ONCE):
        mine = np.flatnonzero(first + step < last)
        if not len(mine):
            break
        play = ordered[first[mine] + step]
        inside = (known.line[play] < landed[mine]) & (known.stop_line[play] > landed[mine])
        # a delay in whose frame the clip ends was set to end it, not to stand in for a mark
        inside &= ~known.stopped[play] | (known.end_frame[play] > take.sends.frame[send[mine]])
        inside &= at[mine] <= over[play]
        keep = inside & scene.in_play(take.sends.frame[send[mine]])
        found.append((mine[keep], play[keep]))
    mine = np.concatenate([pair[0] for pair in found]) if found else nothing
    play = np.concatenate([pair[1] for pair in found]) if found else nothing
    return Landings(asked[mine], play, send[mine], at[mine])


def _ends_untold(scene: Scene) -> Array:
    """Return float64 (plays,): when each clip is over, in ns of game time, though no `stop` tells it; infinite where one does, or
    where its marks show that it goes round.
    """
    take, marks = scene.take, scene.take.marks
    table = take.tables["play"]
    length, rate, first = (np.asarray(table[name], np.float64) for name in ("len", "rate", "from"))
    rate, first = np.where(rate > 0, rate, 1.0), np.where(np.isfinite(first), first, 0.0)
    ends = marks.begin_ns + (length - first) / rate * 1e9
    ends[(take.plays.stop >= 0) | ~np.isfinite(ends)] = np.inf
    ends[marks.play[marks.round > 0]] = np.inf
    return ends
