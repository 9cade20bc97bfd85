"""When a timer or delay was paused."""

from __future__ import annotations

import numpy as np

from opossum.take.take import Take


def paused_stretches(take: Take, arm: int) -> list[tuple[int, int]]:
    """Return the (from, to) times in ns in which timer or delay `arm` (a row) was paused."""
    table = take.tables["arm"]
    peer, name = int(table["p"][arm]), int(table["a"][arm])
    changes: list[tuple[int, bool]] = []
    if table["paused"][arm] == 1:
        changes.append((int(table["t"][arm]), True))
    for kind, is_pause in (("pause", True), ("resume", False)):
        other = take.tables[kind]
        mine = np.flatnonzero((np.asarray(other["a"]) == name) & (np.asarray(other["p"]) == peer))
        changes += [(int(other["t"][row]), is_pause) for row in mine]
    spans: list[tuple[int, int]] = []
    since: int | None = None
    for time, is_pause in sorted(changes):
        if is_pause and since is None:
            since = time
        elif not is_pause and since is not None:
            spans.append((since, time))
            since = None
    if since is not None:
        spans.append((since, min(int(take.arms.end_ns[arm]), take.peers[peer].last_t)))
    return spans
