"""One thing that recurs, and how far each time was from when it should have come."""

from __future__ import annotations

from collections.abc import Callable
from functools import cached_property

import numpy as np

from opossum.stream.tables import Array
from opossum_desk.pacing.layout.firings import Firings
from opossum_desk.pacing.layout.verdict import verdict

FEWEST_FIRINGS = 3
"""What came less often has no rhythm yet."""
FEWEST_KNOWN = 10
"""With fewer known effects no share of what ran for nothing is told."""


class Recurring:
    """One thing that recurs.

    `sort`: ``timer``, ``delay``, ``cooldown``, ``tick``, ``cue`` or ``answer``; `rows_of`: the table its firings are rows of;
    `unit_ns`: the usual frame of its peer, the measure of what is off; `cost_ns`: what its calls took a second of play;
    `wasted`: the share of its calls known to have run for nothing, NaN where that is not known.
    """

    def __init__(
        self,
        *,
        sort: str,
        name: str,
        rhythm: str,
        via: str,
        rows_of: str,
        unit_ns: float,
        count: int,
        reckon: Callable[[], Firings],
        event: str = "",
        owner: str = "",
        cls: str = "",
        function: str = "",
        clip: str = "",
        peer: str = "",
        cost_ns: float = 0.0,
        wasted: float = float("nan"),
    ) -> None:
        self.sort, self.name, self.rhythm, self.via, self.rows_of = sort, name, rhythm, via, rows_of
        self.unit_ns, self.count, self._reckon = max(unit_ns, 1.0), count, reckon
        self.event, self.owner, self.cls, self.function, self.clip, self.peer = event, owner, cls, function, clip, peer
        self.cost_ns, self.wasted = cost_ns, wasted

    @cached_property
    def firings(self) -> Firings:
        """When it came, and how far off."""
        return self._reckon()

    @cached_property
    def verdict(self) -> tuple[str, bool]:
        """What its firings say in words, and whether that is wrong."""
        return verdict(self.sort, self.firings.off_ns, self.unit_ns)

    def prepare(self) -> None:
        """Reckon all that a picture asks for."""
        assert self.firings.levels is not None and self.firings.usual_reach_ns >= 0 and self.verdict


def wasted_share(effect: Array) -> float:
    """Return the share of calls that ran for nothing, of those whose effect (n,) is known; NaN where too few are."""
    known = int(np.count_nonzero(effect >= 0))
    return float(np.count_nonzero(effect == 0)) / known if known >= FEWEST_KNOWN else float("nan")
