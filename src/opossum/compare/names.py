"""Names of two takes under common numbers: what is called alike in both has one number."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from opossum.stream.tables import Array
from opossum.take.take import Take


class CommonNames:
    """Numbers for texts, shared by all takes that ask; -1 stands for no text."""

    def __init__(self) -> None:
        self._numbers: dict[str, int] = {}

    def of(self, text: str) -> int:
        """Return the number of a text; an empty text has none (-1)."""
        if not text:
            return -1
        return self._numbers.setdefault(text, len(self._numbers))

    def alias(self, text: str, other: str) -> None:
        """Give two texts one number: they name one thing."""
        self._numbers[other] = self.of(text)

    def of_codes(self, take: Take) -> Array:
        """Return int32 (strings + 1,): the number of each of a take's string codes; of code -1 at the end."""
        return np.array([self.of(text) for text in take.strings] + [-1], np.int32)

    def of_classes(self, take: Take, objects: Sequence[Array]) -> Array:
        """Return int32 (strings + 1,): the number of the class of each object code that stands in `objects`."""
        classes = np.full(len(take.strings) + 1, -1, np.int32)
        for codes in objects:
            for code in np.unique(codes).tolist():
                if code >= 0 and classes[code] < 0:
                    classes[code] = self.of(take.class_of(code))
        return classes
