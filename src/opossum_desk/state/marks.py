"""Marked frames of the axis, and what somebody wrote to them."""

from __future__ import annotations

from collections.abc import Iterable, Mapping

from opossum_desk.state.topics import Topics


class Marks:
    """`columns`: the marked frames' columns, ascending; `notes`: what was written to some of them, by column."""

    def __init__(self, topics: Topics) -> None:
        self._topics = topics
        self.columns: list[int] = []
        self.notes: dict[int, str] = {}

    def show(self, columns: Iterable[int], notes: Mapping[int, str]) -> None:
        """Take marks over without telling anybody: they are what is kept already."""
        self.columns = sorted(columns)
        self.notes = {column: note for column, note in notes.items() if note}

    def toggle(self, column: int) -> bool:
        """Mark a frame, or unmark it and forget its note; say whether it is marked now. -1: none is meant."""
        if column < 0:
            return False
        self.columns = sorted(set(self.columns) ^ {column})
        self.notes = {marked: note for marked, note in self.notes.items() if marked in self.columns}
        self._topics.publish("bookmarks")
        return column in self.columns

    def write(self, column: int, note: str) -> None:
        """Mark a frame and write something to it; nothing: it stays marked, without a note."""
        self.columns = sorted({*self.columns, column})
        self.notes.pop(column, None)
        if note.strip():
            self.notes[column] = note.strip()
        self._topics.publish("bookmarks")
