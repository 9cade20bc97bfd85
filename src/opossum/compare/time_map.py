"""One run's time told in the other's: a line through moments that both surely share."""

from __future__ import annotations

from bisect import bisect_right

import numpy as np

from opossum.stream.tables import Array

MOST_ANCHORS = 20_000
"""So many anchors say as much as more would."""


class TimeMap:
    """Turns seconds of one side into seconds of the other: straight between anchors, at the same pace beyond them."""

    def __init__(self, mine: Array, theirs: Array) -> None:
        """Take moments (n,) of things that are each other's counterpart; those that would cross are left out."""
        order = np.lexsort((theirs, mine))
        mine, theirs = mine[order], theirs[order]
        if len(mine) > MOST_ANCHORS:
            kept = np.linspace(0, len(mine) - 1, MOST_ANCHORS).astype(np.int64)
            mine, theirs = mine[kept], theirs[kept]
        rising = longest_rising(theirs)
        mine, theirs = mine[rising], theirs[rising]
        once = np.concatenate(([True], np.diff(mine) > 0)) if len(mine) else np.zeros(0, bool)
        self.mine, self.theirs = mine[once], theirs[once]

    def there(self, seconds: Array) -> Array:
        """Return float64 (n,): the same moments on the other side."""
        return _mapped(np.asarray(seconds, np.float64), self.mine, self.theirs)

    def back(self, seconds: Array) -> Array:
        """Return float64 (n,): moments of the other side on this one."""
        once = np.concatenate(([True], np.diff(self.theirs) > 0)) if len(self.mine) else np.zeros(0, bool)
        return _mapped(np.asarray(seconds, np.float64), self.theirs[once], self.mine[once])


def _mapped(seconds: Array, mine: Array, theirs: Array) -> Array:
    if not len(mine):
        return seconds
    inside = np.interp(seconds, mine, theirs)
    return inside + np.minimum(seconds - mine[0], 0) + np.maximum(seconds - mine[-1], 0)


def longest_rising(values: Array) -> Array:
    """Return the places (k,) of a longest run of values (n,) that never falls: patience sorting, n log n."""
    piles: list[float] = []
    tops: list[int] = []
    before = np.full(len(values), -1, np.int64)
    for place, value in enumerate(np.asarray(values).tolist()):
        pile = bisect_right(piles, value)
        before[place] = tops[pile - 1] if pile else -1
        if pile == len(piles):
            piles.append(value)
            tops.append(place)
        else:
            piles[pile], tops[pile] = value, place
    chosen = []
    at = tops[-1] if tops else -1
    while at >= 0:
        chosen.append(at)
        at = int(before[at])
    return np.array(chosen[::-1], np.int64)
