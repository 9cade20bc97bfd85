"""What of a clip's plays stands on which pixel: found once for each width of the view, whatever of the take is visible.

Cost: sorts of what belongs to the clip, once; while one pans, a look at the marks of the plays in view.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from opossum.stream.tables import Array
from opossum.take.grouping import factorised
from opossum_desk.clips.layout.plays import Overlaid, OverlaidClip
from opossum_desk.layout.scale import Scale

LANES = 7
"""Plays stand a little above or below each other, in so many lanes, so that they do not hide each other."""
LANE_PX = 2.4


MOST_WAITS = 60
"""So many waits of a clip are drawn, of those that were met and of those that were not."""


class PlaysInView(NamedTuple):
    """Which plays reach into what is visible, (plays,), the first of them and the one behind the last, and whether all do."""

    seen: Array
    first: int
    stop: int
    are_all: bool

    @classmethod
    def of(cls, seen: Array) -> PlaysInView:
        """Return what is asked of each clip again, found once."""
        visible = np.flatnonzero(seen)
        first, stop = (int(visible[0]), int(visible[-1]) + 1) if len(visible) else (0, 0)
        return cls(seen, first, stop, len(visible) == len(seen))


class MarkDots(NamedTuple):
    """Marks (rows of `take.marks`, ascending) with their plays, and which dot each is part of.

    One dot for each pixel and lane: `xs` in px, `lanes` in px from the clip's middle, `first` the mark it stands for.
    """

    rows: Array
    plays: Array
    dot: Array
    xs: Array
    lanes: Array
    first: Array

    def in_view(self, plays: PlaysInView) -> tuple[Array, Array]:
        """Return (which dots have a play in view, and the mark each of those stands for)."""
        if plays.are_all:
            return np.arange(len(self.xs)), self.first
        begin, end = self.plays.searchsorted([plays.first, plays.stop])
        mine = begin + np.flatnonzero(plays.seen[self.plays[begin:end]])
        stands = np.full(len(self.xs), -1, np.int64)
        stands[self.dot[mine][::-1]] = self.rows[mine][::-1]  # written backwards, so that the first stays
        which = np.flatnonzero(stands >= 0)
        return which, stands[which]


class LandedDelays(NamedTuple):
    """Delays of one event: where they are usually set and land, and a dot for each pixel with the send it stands for."""

    event: int
    set_x: float
    landed_x: float
    xs: Array
    sends: Array


class ClipPixels(NamedTuple):
    """Marks that came and that were missed, where plays were cut (`lost`: with a mark to come), delays beside them, and waits
    that were met and that were in vain: (n, 2) from and to in px, the first `MOST_WAITS` of each.
    """

    came: MarkDots
    missed: MarkDots
    cuts: Array
    lost: Array
    delays: list[LandedDelays]
    met: Array
    vain: Array


def pixels_of_clip(known: Overlaid, clip: OverlaidClip, scale: Scale) -> ClipPixels:
    """Return what stands where at a scale of seconds within the clip; that of the last scale is kept."""
    kept = known.pixels.get(id(clip.plays))
    if kept is None or kept[0] != scale:
        kept = scale, _found(known, clip, scale)
        known.pixels[id(clip.plays)] = kept
    pixels: ClipPixels = kept[1]
    return pixels


def _found(known: Overlaid, clip: OverlaidClip, scale: Scale) -> ClipPixels:
    marks, rows = known.take.marks, clip.marks
    came = known.came_at[rows]
    fired = np.isfinite(came)
    xs = scale.xs(np.where(fired, came, marks.seconds[rows]))
    plays = clip.plays[known.cut[clip.plays]]
    cut_xs, has_lost = scale.xs(marks.reached[plays]), known.lost[plays]
    cuts, lost = (own[first_of_pixels(own)] for own in (cut_xs[~has_lost], cut_xs[has_lost]))
    return ClipPixels(
        _dots(known, rows[fired], xs[fired]),
        _dots(known, rows[~fired & marks.passed[rows]], xs[~fired & marks.passed[rows]]),
        cuts,
        lost,
        _delays(known, clip, scale),
        *(_waits(known, clip, scale, met) for met in (True, False)),
    )


def _waits(known: Overlaid, clip: OverlaidClip, scale: Scale, met: bool) -> Array:
    mine = clip.waited[known.waited.met[clip.waited] == met][:MOST_WAITS]
    x, x2 = scale.xs(known.waited.begin[mine]), scale.xs(known.waited.end[mine])
    return np.column_stack((x, np.maximum(x2, x + 2)))


def _dots(known: Overlaid, rows: Array, xs: Array) -> MarkDots:
    plays = np.asarray(known.take.marks.play)[rows]
    key = np.round(xs).astype(np.int64) * LANES + plays % LANES
    dot, first = factorised(key)
    lanes = (plays[first] % LANES - (LANES - 1) / 2) * LANE_PX
    return MarkDots(rows, plays, dot, xs[first], lanes, rows[first])


def _delays(known: Overlaid, clip: OverlaidClip, scale: Scale) -> list[LandedDelays]:
    landed, found = known.landed, []
    events = landed.event[clip.landed]
    for event in dict.fromkeys(events.tolist()):
        mine = clip.landed[events == event]
        set_x, landed_x = (float(np.median(scale.xs(part[mine]))) for part in (landed.set_at, landed.landed_at))
        xs = scale.xs(landed.landed_at[mine])
        kept = first_of_pixels(xs)
        found.append(LandedDelays(event, set_x, landed_x, xs[kept], landed.send[mine][kept]))
    return found


def first_of_pixels(xs: Array) -> Array:
    """Return the places (ascending) of the first thing on each pixel."""
    return np.sort(factorised(np.round(xs).astype(np.int64))[1])
