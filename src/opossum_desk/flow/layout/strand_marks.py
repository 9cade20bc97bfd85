"""What a strand is drawn of, and where a moment lies on it."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from opossum.stream.tables import Array
from opossum_desk.flow.layout.sounding import Stroke
from opossum_desk.layout.row_picture import PixelBars
from opossum_desk.layout.scale import Scale
from opossum_desk.state.session import Session


class DotRun(NamedTuple):
    """Moments of one strand: pixel centres `xs` at height `y`, with the row of the `send` table of each."""

    xs: Array
    y: float
    sends: Array
    kind: str = ""


Mark = Stroke | DotRun | PixelBars
"""What a strand is drawn of."""


def x_of(session: Session, scale: Scale, time_ns: float) -> float:
    """Return where a time (ns) lies, in px."""
    return scale.x(float(np.interp(time_ns, session.axis.starts_ns, session.axis.edges)))
