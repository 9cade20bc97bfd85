"""What is selected: a frame, a call of it, a finding; and what the pointer is on, with all that is related to it."""

from __future__ import annotations

from opossum.findings.finding import Finding
from opossum.take.chains import chain_of, effects_of, same_on_other_peers
from opossum.take.take import Take

MOST_CAUSES = 200


class Selection:
    """A frame's `column`, a `call` (both -1: none), a `finding`; `hover`: the call under the pointer, -1 for none.

    `related`: the call in question with its causes, its effects, and the same on other peers.
    """

    def __init__(self, take: Take) -> None:
        self._take = take
        self.column = -1
        self.call = -1
        self.hover = -1
        self.finding: Finding | None = None
        self.related: frozenset[int] = frozenset()

    def choose(self, column: int, call: int) -> None:
        """Select a frame, and a call of it or none."""
        self.column, self.call = column, call
        self._relate(call)

    def point_at(self, call: int) -> None:
        """Take note of the call that is pointed at; without one, the selected call's relations count again."""
        self.hover = call
        self._relate(call if call >= 0 else self.call)

    def _relate(self, call: int) -> None:
        if call < 0:
            self.related = frozenset()
            return
        calls, children = self._take.calls, self._take.children
        self.related = frozenset(
            (
                *chain_of(calls.parent, call, MOST_CAUSES),
                *effects_of(children, call),
                *same_on_other_peers(self._take, call),
            )
        )
