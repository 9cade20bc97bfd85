"""Timers and delays: when each ended, when it fired, and which call set it."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from opossum.stream.tables import Array
from opossum.take.grouping import Groups
from opossum.take.ids import IdIndex
from opossum.take.index import Index
from opossum.take.indexes.callers import callers
from opossum.take.indexes.calls import CALLS, Calls
from opossum.take.indexes.frames import FRAMES, Frames
from opossum.take.indexes.identities import ARM_IDS, CALL_IDS
from opossum.take.indexes.objects import NEVER
from opossum.take.recording import Recording


class Arms(NamedTuple):
    """Columns beside the `arm` table: ends (line and ns; `NEVER` where still armed) and firings.

    `firings` groups rows of the `send` table by arm; `event` is the arm's own event, else that of its
    first firing (-1: unknown). `cause`: call row that set it, or -1.
    """

    end_line: Array
    end_ns: Array
    event: Array
    cause: Array
    firings: Groups


def build_arms(recording: Recording, frames: Frames, calls: Calls, arm_ids: IdIndex, call_ids: IdIndex) -> Arms:
    """Join timers and delays with their ends and their firings."""
    table, disarms, sends = recording.tables["arm"], recording.tables["disarm"], recording.tables["send"]
    count = len(table)
    end_line, end_ns = np.full(count, NEVER, np.int64), np.full(count, NEVER, np.int64)
    rows = arm_ids.rows(disarms["p"], disarms["a"])[::-1]
    sound = rows >= 0
    end_line[rows[sound]] = np.asarray(disarms["line"], np.int64)[::-1][sound]
    end_ns[rows[sound]] = np.asarray(disarms["t"], np.int64)[::-1][sound]
    firings = Groups(arm_ids.rows(sends["p"], sends["a"]), count)
    event = np.asarray(table["ev"], np.int64).copy()
    fired = np.flatnonzero(firings.sizes() > 0)
    first_firing = firings.order[firings.starts[fired]]
    unnamed = event[fired] < 0
    event[fired[unnamed]] = sends["ev"][first_firing[unnamed]]
    # a delay ends when it fires, even if its disarm is told after the calls it made
    once = fired[np.asarray(table["loop"])[fired] != 1]
    last_firing = firings.order[firings.starts[once + 1] - 1]
    end_line[once] = np.minimum(end_line[once], np.asarray(sends["line"], np.int64)[last_firing])
    end_ns[once] = np.minimum(end_ns[once], np.asarray(sends["t"], np.int64)[last_firing])
    return Arms(end_line, end_ns, event, callers(recording, "arm", frames, call_ids, calls.ret), firings)


ARMS = Index("arms", build_arms, (FRAMES, CALLS, ARM_IDS, CALL_IDS), holds=(Arms, Groups))
