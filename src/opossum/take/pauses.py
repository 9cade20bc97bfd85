"""When a timer or delay was paused."""

from __future__ import annotations

from weakref import WeakKeyDictionary

from opossum.take.grouping import Groups
from opossum.take.take import Take

_known: WeakKeyDictionary[Take, dict[str, Groups]] = WeakKeyDictionary()


def paused_stretches(take: Take, arm: int) -> list[tuple[int, int]]:
    """Return the (from, to) times in ns in which timer or delay `arm` (a row) was paused.

    Cost: its own pauses; of a take that was not asked before, all of them once.
    """
    if take not in _known:
        tables = {kind: take.tables[kind] for kind in ("pause", "resume")}
        count = len(take.tables["arm"])
        _known[take] = {kind: Groups(take.arm_ids.rows(own["p"], own["a"]), count) for kind, own in tables.items()}
    table = take.tables["arm"]
    changes = [(int(table["t"][arm]), True)] if table["paused"][arm] == 1 else []
    for kind, groups in _known[take].items():
        changes += [(time, kind == "pause") for time in take.tables[kind]["t"][groups.rows(arm)].tolist()]
    spans: list[tuple[int, int]] = []
    since: int | None = None
    for time, is_pause in sorted(changes):
        if is_pause and since is None:
            since = time
        elif not is_pause and since is not None:
            spans.append((since, time))
            since = None
    if since is not None:
        spans.append((since, min(int(take.arms.end_ns[arm]), take.peers[int(table["p"][arm])].last_t)))
    return spans
