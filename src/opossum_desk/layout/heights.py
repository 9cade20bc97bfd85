"""How tall things are: at least as tall as a finger of the hand that points at them, and never less than their text."""

from __future__ import annotations

from functools import lru_cache
from typing import NamedTuple

TARGET_PX = 24.0
"""What is clicked is at least so tall (WCAG 2.2, success criterion 2.5.8)."""
DETAIL_PX = 14.0
"""A line of what is said below a name, with a usual font."""
ROW_PX = HEADER_PX = TARGET_PX
STRAND_PX = 26.0
"""How tall a row of the Loom, the header with the axis's numbers, and a strand are with a usual font."""


class Heights(NamedTuple):
    """Heights in px of a row of the Loom, of the header with the axis's numbers, and of a strand."""

    row: float = ROW_PX
    header: float = HEADER_PX
    strand: float = STRAND_PX

    @classmethod
    @lru_cache(maxsize=16)
    def of_text(cls, text_px: float) -> Heights:
        """Return the heights that leave room for a line of text so tall."""
        return cls(
            max(ROW_PX, round(text_px + 5)), max(HEADER_PX, round(text_px + 6)), max(STRAND_PX, round(text_px + 8))
        )


USUAL = Heights()


class Band(NamedTuple):
    """A stretch of a view from its top down, as tall as `height`."""

    top: float
    height: float = STRAND_PX

    @property
    def middle(self) -> float:
        """Half way down."""
        return self.top + self.height / 2

    @property
    def bottom(self) -> float:
        """Its lower edge."""
        return self.top + self.height
