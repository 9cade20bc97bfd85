"""Interned strings: every distinct text of a take is kept once and named by a small integer."""

from __future__ import annotations

ABSENT_TEXT = -1
"""The code of a text that was not given."""
UNNAMED = "(unnamed)"
"""What stands where a sentence names an object or a function that no record tells."""


class Interner(dict[str | None, int]):
    """Maps a text to its code, giving new texts the next one; ``None`` is always `ABSENT_TEXT`.

    Looking a text up is one dictionary access, so a whole column is `map(interner.__getitem__, texts)`.
    """

    def __init__(self, texts: list[str] | None = None) -> None:
        super().__init__()
        self[None] = ABSENT_TEXT
        for text in texts or ():
            self[text] = len(self) - 1

    def __missing__(self, text: str | None) -> int:
        code = self[text] = len(self) - 1
        return code

    def texts(self) -> list[str]:
        """Return the texts in the order of their codes."""
        return [text for text in self if text is not None]
