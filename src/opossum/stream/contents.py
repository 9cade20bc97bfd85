"""What reading a stream comes to: tables, strings, peers, damage – and the error when it comes to nothing.

Apart from `reading`, so that opening a saved take need not build the decoder.
"""

from __future__ import annotations

from dataclasses import dataclass

from opossum.stream.damage import Damage
from opossum.stream.tables import Table


class StreamError(ValueError):
    """A file cannot be read as a stream at all. `path` is the file, `reason` what to know and do."""

    def __init__(self, path: str, reason: str) -> None:
        super().__init__(f"{path}: {reason}")
        self.path = path
        self.reason = reason


@dataclass(slots=True)
class PeerSpan:
    """What is known of one peer: its name, and the first and last time (ns) and line seen of it.

    `shift_ns` was added to its records' `t` to set its clock against the first peer's, give or take
    `shift_error_ns` (-1: not known); taken off again, its times are what the game wrote.
    """

    name: str
    source: str = ""
    first_t: int = 0
    last_t: int = 0
    first_line: int = 0
    last_line: int = 0
    records: int = 0
    shift_ns: int = 0
    shift_error_ns: int = -1


@dataclass(eq=False, repr=False)
class StreamContents:
    """All that was read: tables by kind, strings by code, peers by index, damage, and files with first line."""

    tables: dict[str, Table]
    strings: list[str]
    peers: list[PeerSpan]
    damage: list[Damage]
    sources: list[tuple[str, int]]

    @property
    def records(self) -> int:
        """Return how many records were read."""
        return sum(len(table) for table in self.tables.values())
