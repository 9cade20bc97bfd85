"""What a weave of rows is painted of: labels, grounds, lines, dots and words, as arrays. No Qt; the painter only draws.

Every array of places is in pixels of the view.  A weave's layout makes a `RowPicture` of what is visible; what lies beyond
the window costs nothing.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from functools import cached_property
from typing import NamedTuple

import numpy as np

from opossum.stream.tables import Array
from opossum_desk.layout.heights import HEADER_PX
from opossum_desk.layout.scale import Scale, frozen_stripes, grid_marks, selected_band
from opossum_desk.layout.wording import LETTER_PX
from opossum_desk.state.session import Session

REACH_PX = 7.0
"""A dot is hit from so far."""


class Label(NamedTuple):
    """A row's name at the left: `text` and, in a line of its own, `detail`.

    `row`: its place among all rows; `fold`: ``+`` or ``–`` where it opens or folds; `role`, `detail_role`: colours;
    `heads`: it begins something, and is written bold; `lit`: the chosen finding is about it.
    """

    top: float
    height: float
    row: int
    text: str
    detail: str = ""
    role: str = "ink"
    detail_role: str = "quiet"
    indent: float = 0.0
    fold: str = ""
    heads: bool = False
    lit: bool = False
    faded: bool = False


class Boxes(NamedTuple):
    """Filled boxes of one colour: `boxes` (n, 4) are x, y, width, height; `alpha` 0 … 255."""

    role: str
    boxes: Array
    alpha: int = 255


class Lines(NamedTuple):
    """Lines of one pen: `ends` (n, 4) are x, y, x2, y2; `dash`: ``""``, ``dash`` or ``dot``."""

    role: str
    ends: Array
    width: float = 1.4
    dash: str = ""


class Dots(NamedTuple):
    """Dots of one look: centres `xs`, `ys` (n,), and what each stands for: rows (n,) of the table `kind` (-1: nothing).

    Dots of size 0 are not drawn, but hit: they stand for what is drawn otherwise.
    """

    via: str
    state: int
    xs: Array
    ys: Array
    kind: str
    rows: Array
    size: float = 7.0
    faded: bool = False


class PixelBars(NamedTuple):
    """One upright bar a pixel, side by side from `left`: from `tops` down to `bottoms` (pixels,); empty where they meet.

    Of several rows below each other, both are (rows, pixels).
    What would be thousands of lines is pressed at once; sharp, since nothing of it is slanted.
    """

    role: str
    left: float
    tops: Array
    bottoms: Array
    alpha: int = 255


class StandingBars:
    """Bars of many rows, gathered so that those of one colour are pressed at once."""

    def __init__(self, left: float) -> None:
        self._left = left
        self._rows: dict[tuple[int, str, int], list[tuple[Array, Array]]] = {}

    def add(self, role: str, base: float | Array, heights: Array, alpha: int = 255, layer: int = 0) -> None:
        """Add bars of these heights (pixels,) that stand on one line; 0: none.  Higher layers lie over lower ones.

        Of several rows at once, bases are (rows,) and heights (rows, pixels).
        """
        self._rows.setdefault((layer, role, alpha), []).append((np.atleast_1d(base), np.atleast_2d(heights)))

    def gathered(self) -> list[PixelBars]:
        """Return them, a (rows, pixels) for each layer and colour."""
        found = []
        for (_, role, alpha), rows in sorted(self._rows.items(), key=lambda item: item[0][0]):
            bases = np.concatenate([own for own, _ in rows])[:, None]
            heights = np.concatenate([own for _, own in rows])
            found.append(PixelBars(role, self._left, bases - heights, np.broadcast_to(bases, heights.shape), alpha))
        return found


class Words(NamedTuple):
    """A short text at x, with its middle at y."""

    x: float
    y: float
    text: str
    role: str = "quiet"
    small: bool = True


@dataclass(eq=False, repr=False)
class RowPicture:
    """All there is to paint."""

    scale: Scale
    labels: list[Label] = field(default_factory=list)
    grid: list[tuple[float, str]] = field(default_factory=list)
    selected: tuple[float, float] | None = None
    frozen: list[tuple[float, float]] = field(default_factory=list)
    boxes: list[Boxes] = field(default_factory=list)
    lines: list[Lines] = field(default_factory=list)
    bars: list[PixelBars] = field(default_factory=list)
    dots: list[Dots] = field(default_factory=list)
    when_asked: list[Callable[[], list[Dots]]] = field(default_factory=list)
    """Work out dots of size 0 that would cost more than all that is drawn of them: nobody may ask."""
    words: list[Words] = field(default_factory=list)
    empty: str = ""
    """What to say where there is nothing to show."""

    @cached_property
    def things(self) -> list[Dots]:
        """Return all dots, those that are not drawn too."""
        return [*self.dots, *(dots for work_out in self.when_asked for dots in work_out())]

    def hit(self, x: float, y: float) -> tuple[str, int]:
        """Return (table, row) of what the dot nearest to a point stands for, within reach; ``("", -1)`` where none is."""
        best, distance = ("", -1), REACH_PX
        for run in self.things:
            if not len(run.xs):
                continue
            away = np.maximum(np.abs(run.xs - x), np.abs(run.ys - y))
            nearest = int(np.argmin(away))
            if away[nearest] < distance and run.rows[nearest] >= 0:
                best, distance = (run.kind, int(run.rows[nearest])), float(away[nearest])
        return best

    def label_at(self, y: float) -> Label | None:
        """Return the label of the row at a height, None where there is none."""
        return next((label for label in self.labels if label.top <= y < label.top + label.height), None)


def ground(session: Session, scale: Scale) -> RowPicture:
    """Return a picture of rows on the shared axis, with nothing on it yet but the axis."""
    return RowPicture(
        scale,
        grid=grid_marks(session.axis, scale),
        selected=selected_band(session, scale),
        frozen=frozen_stripes(session, scale),
    )


class RowsView(NamedTuple):
    """What a layout goes by: the size of the view, how far it is scrolled, the height of a line of text and of the header, the width of a letter."""

    width: float
    height: float
    scroll: float
    label_px: float
    line_px: float
    header_px: float = HEADER_PX
    letter_px: float = LETTER_PX


class RowStack:
    """Rows of different heights, one below the other: `tops` (rows + 1,), and which of them are seen."""

    def __init__(self, heights: Array) -> None:
        self.tops: Array = np.concatenate(([0.0], np.cumsum(np.asarray(heights, np.float64))))

    def __len__(self) -> int:
        return len(self.tops) - 1

    @property
    def height(self) -> float:
        """Return how tall all rows are together."""
        return float(self.tops[-1])

    def seen(self, view: RowsView) -> Iterator[tuple[int, float, float]]:
        """Yield (row, its top in the view, its height) of the rows of which something is seen below the header."""
        first = int(np.searchsorted(self.tops, view.scroll, "right")) - 1
        last = int(np.searchsorted(self.tops, view.scroll + view.height - view.header_px, "left"))
        for row in range(max(0, first), min(len(self), last)):
            top = float(self.tops[row])
            yield row, view.header_px + top - view.scroll, float(self.tops[row + 1]) - top

    def row_at(self, y: float) -> int:
        """Return the row at a height of the stack (not of the view), -1 beyond its ends."""
        row = int(np.searchsorted(self.tops, y, "right")) - 1
        return row if 0 <= row < len(self) else -1


def pixel_times(axis_edges: Array, axis_starts_ns: Array, scale: Scale) -> Array:
    """Return float64 (pixels + 1,): the moment (ns) at each pixel's left edge, and at the last one's right."""
    pixels = max(1, int(scale.width))
    return np.interp(scale.low + np.arange(pixels + 1) / scale.per_unit, axis_edges, axis_starts_ns)
