"""Moments of a take as columns: where each occurred, to whom, from which call or send."""

from __future__ import annotations

from dataclasses import dataclass

from opossum.stream.tables import Array


@dataclass(eq=False, repr=False)
class Occurrences:
    """Rows (n,) of one table, in order of lines: all times one sort of moment occurred.

    `peers`, `lines`, `frames` (rows, -1 before any); `ns`: as the game was told of time; `owners`: string codes, -1 where
    none; `sends`, `calls`: the send or call that each is or belongs to, -1 where none.
    """

    kind: str
    rows: Array
    peers: Array
    lines: Array
    frames: Array
    ns: Array
    owners: Array
    sends: Array
    calls: Array

    def __len__(self) -> int:
        return len(self.rows)

    def only(self, kept: Array) -> Occurrences:
        """Return those that a boolean array (n,) keeps."""
        return Occurrences(
            self.kind,
            *(
                getattr(self, name)[kept]
                for name in ("rows", "peers", "lines", "frames", "ns", "owners", "sends", "calls")
            ),
        )
