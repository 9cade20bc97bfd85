"""Frames far over budget, as bands of a view."""

from __future__ import annotations

from functools import lru_cache
from typing import NamedTuple
from weakref import WeakKeyDictionary

import numpy as np

from opossum.words import tr
from opossum_desk.layout.scale import Scale
from opossum_desk.state.axis import AxisMode
from opossum_desk.state.session import Session

LEAST_FROZEN_PX = 7.0


class FrozenBand(NamedTuple):
    """A frame far over budget: from x to x, its number, column and length."""

    left: float
    right: float
    number: int
    column: int
    seconds: float

    @property
    def text(self) -> str:
        """What to say about it."""
        return _told(self.number, self.seconds)


@lru_cache(maxsize=1024)
def _told(number: int, seconds: float) -> str:
    """Say how long a frame was: while one pans, the same frames are named again and again."""
    return tr("frame {numbers} · {seconds:.2f} s", numbers=number, seconds=seconds)


_last: WeakKeyDictionary[Session, tuple[tuple[AxisMode, int, Scale], list[FrozenBand]]] = WeakKeyDictionary()
"""The bands of each session that were asked for last: the Loom and the Strands stand over each other and show the same."""


def frozen_bands(session: Session, scale: Scale) -> list[FrozenBand]:
    """Return the frozen frames within the window, never narrower than `LEAST_FROZEN_PX`.

    Of those that would lie upon each other the longest stands for all: never more bands than there is room for.
    """
    asked = (session.axis.mode, session.axis.peer, scale)
    known = _last.get(session)
    if known is None or known[0] != asked:
        known = _last[session] = (asked, _frozen_bands(session, scale))
    return known[1]


def _frozen_bands(session: Session, scale: Scale) -> list[FrozenBand]:
    axis, bands = session.axis, []
    first, last = session.visible_columns
    columns = axis.frozen[(axis.frozen >= first) & (axis.frozen <= last)]
    if not len(columns):
        return []
    lefts, rights = scale.xs(axis.edges[columns]), scale.xs(axis.edges[columns + 1])
    lengths = session.frame_lengths[axis.first_row + columns]
    narrow = rights - lefts < LEAST_FROZEN_PX
    middles = (lefts + rights) / 2
    lefts = np.where(narrow, middles - LEAST_FROZEN_PX / 2, lefts)
    rights = np.where(narrow, middles + LEAST_FROZEN_PX / 2, rights)
    places = np.where(narrow, np.floor(middles / LEAST_FROZEN_PX), -1 - np.arange(len(columns)))
    order = np.lexsort((-lengths, places))
    longest = np.sort(order[np.concatenate(([True], np.diff(places[order]) != 0))])
    for index in longest.tolist():
        seconds = float(lengths[index]) / 1e9
        column = int(columns[index])
        bands.append(FrozenBand(float(lefts[index]), float(rights[index]), int(axis.numbers[column]), column, seconds))
    return bands
