"""Frames far over budget, as bands of a view."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from opossum.words import tr
from opossum_desk.layout.scale import Scale
from opossum_desk.state.session import Session

LEAST_FROZEN_PX = 7.0


class FrozenBand(NamedTuple):
    """A frame far over budget: from x to x, and what to say about it."""

    left: float
    right: float
    text: str
    column: int
    seconds: float


def frozen_bands(session: Session, scale: Scale) -> list[FrozenBand]:
    """Return the frozen frames within the window, never narrower than `LEAST_FROZEN_PX`.

    Of those that would lie upon each other the longest stands for all: never more bands than there is room for.
    """
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
        text = tr("frame {numbers} · {seconds:.2f} s", numbers=axis.numbers[columns[index]], seconds=seconds)
        bands.append(FrozenBand(float(lefts[index]), float(rights[index]), text, int(columns[index]), seconds))
    return bands
