"""When something happens on a strand, in order: what keys step through. Cost: the strand's own items, and one sort."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from opossum.stream.tables import Array
from opossum_desk.flow.layout.strand_rows import StrandRow
from opossum_desk.state.session import Session


class Moments(NamedTuple):
    """Times in ns, ascending, and the send (row) that each is of, -1 where it is of none."""

    times_ns: Array
    sends: Array

    def next_after(self, time_ns: float, send: int, step: int) -> int:
        """Return the place of the moment after (`step` 1) or before (-1) a time and send, -1 where there is none."""
        mine = np.flatnonzero((self.sends == send) & (self.times_ns == time_ns))
        if send >= 0 and len(mine):
            place = int(mine[0]) + step
        elif step > 0:
            place = int(np.searchsorted(self.times_ns, time_ns, "right"))
        else:
            place = int(np.searchsorted(self.times_ns, time_ns, "left")) - 1
        return place if 0 <= place < len(self.times_ns) else -1


def moments_of(session: Session, row: StrandRow) -> Moments:
    """Return when a timer or delay fires, a clip or track comes to its marks, a wait is met; of all else, when it changes."""
    take = session.take
    sends: list[Array]
    if row.kind in ("timer", "delay"):
        sends = [take.arms.firings.rows(int(arm)) for arm in row.items.tolist()]
    elif row.kind in ("clip", "track"):
        sends = [take.plays.fired.rows(int(play)) for play in row.items.tolist()]
    elif row.kind == "wait":
        met = np.asarray(take.waits.met)[row.items]
        table = take.tables["met"]
        met = met[met >= 0]
        sends = [take.send_ids.rows(np.asarray(table["p"])[met], np.asarray(table["s"])[met])]
    else:
        times = np.asarray(row.starts_ns, np.int64)
        return Moments(np.sort(times), np.full(len(times), -1, np.int64))
    found = np.concatenate([np.asarray(part, np.int64) for part in sends]) if sends else np.zeros(0, np.int64)
    found = found[found >= 0]
    times = np.asarray(take.tables["send"]["t"], np.int64)[found]
    order = np.argsort(times, kind="stable")
    return Moments(times[order], found[order])
