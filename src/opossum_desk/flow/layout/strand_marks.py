"""What a strand is drawn of, where a moment lies on it, and how much of it is drawn one by one."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from opossum.stream.tables import Array
from opossum.words import tr
from opossum_desk.flow.layout.strand_rows import StrandRow
from opossum_desk.flow.layout.strokes import Stroke, StrokeRun
from opossum_desk.layout.heights import Band
from opossum_desk.layout.row_picture import Boxes, PixelBars
from opossum_desk.layout.scale import Scale
from opossum_desk.state.session import Session

MOST_ITEMS = 300
"""Items of one row drawn one by one; beyond, they are drawn as one quiet bar that says how many."""

VIA_OF_KIND = {
    "timer": "timer",
    "delay": "delay",
    "clip": "clip",
    "track": "net",
    "wait": "direct",
    "queue": "queue",
    "value": "zone",
    "log": "tick",
}
"""Which way of calling a kind of strand shares its colour with."""


class DotRun(NamedTuple):
    """Moments of one strand: pixel centres `xs` at height `y`, with the row of the `send` table of each."""

    xs: Array
    y: float
    sends: Array
    kind: str = ""


Mark = Stroke | StrokeRun | DotRun | PixelBars | Boxes
"""What a strand is drawn of."""


def x_of(session: Session, scale: Scale, time_ns: float) -> float:
    """Return where a time (ns) lies, in px."""
    return scale.x(float(np.interp(time_ns, session.axis.starts_ns, session.axis.edges)))


def pixels_of(session: Session, scale: Scale, times_ns: Array) -> Array:
    """Return where times (n,), in ns, lie in px."""
    return scale.xs(session.axis.positions(times_ns))


def crowd(
    session: Session, scale: Scale, band: Band, row: StrandRow, places: Array, at_once: bool = False
) -> list[Mark]:
    """Return one quiet bar for more items than can be told apart; `at_once`: they lie over each other, near by, too."""
    end = min(float(row.ends_ns[places].max()), float(session.axis.starts_ns[-1]))
    x, x2 = x_of(session, scale, float(row.starts_ns[places].min())), x_of(session, scale, end)
    count = len(places)
    if at_once:
        text = tr("{count:,} over each other", count=count)
    else:
        text = tr("{count:,} – zoom in to tell them apart", count=count)
    return [Stroke("crowd", x, band.middle, x2, band.middle, "quiet", text, kind=row.kind)]
