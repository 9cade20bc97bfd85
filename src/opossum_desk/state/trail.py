"""The Trail: the whole chain of causes and effects of one call, over frames, timers, delays, clips and the net."""

from __future__ import annotations

from typing import NamedTuple

from opossum.take.chains import chain_of, same_on_other_peers
from opossum.take.grouping import Groups
from opossum.take.take import Take

MOST_CAUSES, MOST_EFFECTS = 200, 300


class Hop(NamedTuple):
    """One call of a Trail: the place of the hop it sprang from (-1: the first), how deep below the first it lies, and how
    many ns after that hop began it began."""

    call: int
    of: int
    depth: int
    after_ns: int


class Trail:
    """The hops of a call's chain: its causes from the outermost on, itself, then all that sprang from it, depth first.

    The first one asked of a take gathers all calls by what they sprang from: a sort of the calls.
    """

    def __init__(self, take: Take, call: int, children: Groups) -> None:
        self.call = call
        self.hops: list[Hop] = []
        self.left_out = False
        """Whether there are effects that there is no room for; how many sprang from those is not known."""
        causes = chain_of(take.causes, call, MOST_CAUSES)
        self.begins_earlier = int(take.causes[causes[-1]]) >= 0
        """Whether the outermost cause that is listed has a cause itself."""
        for cause in reversed(causes):
            self._add(take, cause, len(self.hops) - 1, min(len(self.hops), 1) if cause == call else 0)
        self.place = len(self.hops) - 1
        """Where among the hops the call itself stands."""
        self._spring(take, children)

    def _add(self, take: Take, call: int, of: int, depth: int) -> None:
        start = take.calls.start_ns
        after = int(start[call] - start[self.hops[of].call]) if of >= 0 else 0
        self.hops.append(Hop(call, of, depth, after))

    def _spring(self, take: Take, children: Groups) -> None:
        """Add what sprang from the call, depth first, and what the same send did on other peers."""
        seen = {hop.call for hop in self.hops}
        waiting = [(child, self.place) for child in self._effects(take, children, self.call)[::-1]]
        while waiting:
            call, of = waiting.pop()
            if call in seen:
                continue
            if len(seen) > MOST_CAUSES + MOST_EFFECTS or len(self.hops) - self.place > MOST_EFFECTS:
                self.left_out = True
                break
            seen.add(call)
            self._add(take, call, of, self.hops[of].depth + 1)
            here = len(self.hops) - 1
            waiting += [(child, here) for child in self._effects(take, children, call)[::-1]]

    def _effects(self, take: Take, children: Groups, call: int) -> list[int]:
        own = children.rows(call)
        self.left_out |= len(own) > MOST_EFFECTS
        own = own[: MOST_EFFECTS + 1].tolist()
        return sorted({*own, *same_on_other_peers(take, call)})

    def place_of(self, call: int) -> int:
        """Return the place of a call among the hops, -1 where it is none."""
        return next((place for place, hop in enumerate(self.hops) if hop.call == call), -1)


def calls_by_cause(take: Take) -> Groups:
    """Return the calls that sprang from each call, over frames. One sort of the calls."""
    return Groups(take.causes, len(take.calls))
