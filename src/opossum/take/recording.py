"""What was recorded, as it was read: tables, strings and peers, and the small questions that need no index."""

from __future__ import annotations

import json
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from opossum.stream.contents import StreamContents
from opossum.stream.tables import Array, told_counts

LEAST_HZ = 1e-3
"""No game means fewer frames a second: a head that says so is taken to say nothing."""


@dataclass(eq=False, repr=False)
class Recording(StreamContents):
    """The contents of a stream or a saved take; builders of indexes are given this, never the whole take."""

    # --- words ---------------------------------------------------------------------------------

    def text(self, code: int) -> str:
        """Return the text of a string code, or an empty text where absent."""
        return self.strings[code] if 0 <= code < len(self.strings) else ""

    @cached_property
    def _codes(self) -> dict[str, int]:
        return {text: code for code, text in enumerate(self.strings)}

    def code(self, text: str) -> int:
        """Return the code of a text; one that no record has gives a code that none matches (-2)."""
        return self._codes.get(text, -2)

    # --- what the head says --------------------------------------------------------------------

    @cached_property
    def _head_rows(self) -> dict[int, int]:
        return {int(peer): row for row, peer in reversed(list(enumerate(self.tables["head"]["p"])))}

    def head_text(self, peer: int, field_name: str) -> str:
        """Return a text field of a peer's head, or an empty text."""
        row = self._head_rows.get(peer)
        return "" if row is None else self.text(int(self.tables["head"][field_name][row]))

    def head_list(self, peer: int, field_name: str) -> list[str]:
        """Return a list of names (`phases`, `waits`) of a peer's head."""
        row = self._head_rows.get(peer)
        return [] if row is None else parsed_list(self.tables["head"].json(field_name)[row])

    def head_hz(self, peer: int) -> float | None:
        """Return the nominal frames a second of a peer, or None."""
        row = self._head_rows.get(peer)
        value = float("nan") if row is None else float(self.tables["head"]["hz"][row])
        return value if value >= LEAST_HZ else None

    # --- peers -----------------------------------------------------------------------------------

    def rows_of_peer(self, kind: str, peer: int) -> Array:
        """Return the rows of a peer's records of one kind, ascending."""
        return np.flatnonzero(np.asarray(self.tables[kind]["p"]) == peer)

    @property
    def last_times(self) -> Array:
        """Return int64 (peers,): the time in ns of each peer's last record; one 0 where there is no peer."""
        return np.array([span.last_t for span in self.peers] or [0], np.int64)

    def end_of_peers(self, peers: Array) -> Array:
        """Return int64 (n,): when the recording of each of the peers (n,) ends, in ns."""
        return self.last_times[np.asarray(peers, np.int64)]

    @property
    def lost(self) -> int:
        """Return how many records were dropped or never came while it was recorded, as far as that was told."""
        # each may tell of more than any sum of integers holds
        return int(told_counts(self.tables["lost"]["n"]).clip(0).sum(dtype=np.float64))

    def held_at_end(self, peer: int) -> bool:
        """Say whether a peer's stream ends while its game is held at a tripwire."""
        held, went = (
            np.asarray(self.tables[kind]["line"], np.int64)[self.rows_of_peer(kind, peer)] for kind in ("held", "went")
        )
        return bool(len(held)) and (not len(went) or int(held.max()) > int(went.max()))

    def closed(self, peer: int) -> bool:
        """Say whether the peer's recorder was closed on purpose (`bye`)."""
        return bool((np.asarray(self.tables["bye"]["p"]) == peer).any())


def parsed_list(text: str) -> list[str]:
    """Return a JSON list of strings, or nothing where the text is not one."""
    try:
        value = json.loads(text)
    except (ValueError, RecursionError):
        return []
    return [item for item in value if isinstance(item, str)] if isinstance(value, list) else []
