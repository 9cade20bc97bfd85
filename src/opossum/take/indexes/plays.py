"""Clips and tracks: how each ended, which call started it, and which sends came from its marks."""

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
from opossum.take.indexes.identities import CALL_IDS, PLAY_IDS
from opossum.take.recording import Recording


class Plays(NamedTuple):
    """Columns beside the `play` table: how each clip ended, and which sends came from its marks.

    `end_ns` and `stop` (row of the `stop`, -1 where it was still playing); `cause`: the call row that started it, or -1;
    `fired` groups `send` rows by play.
    """

    end_ns: Array
    stop: Array
    cause: Array
    fired: Groups


def build_plays(recording: Recording, frames: Frames, calls: Calls, play_ids: IdIndex, call_ids: IdIndex) -> Plays:
    """Join clips and tracks with their stops and with the sends of their marks."""
    table, stops, sends = (recording.tables[kind] for kind in ("play", "stop", "send"))
    end = recording.end_of_peers(table["p"])
    stop = np.full(len(table), -1, np.int64)
    rows = play_ids.rows(stops["p"], stops["y"])[::-1]
    sound = rows >= 0
    stop[rows[sound]] = np.arange(len(stops) - 1, -1, -1)[sound]
    end[rows[sound]] = np.asarray(stops["t"], np.int64)[::-1][sound]
    cause = callers(recording, "play", frames, call_ids, calls.ret)
    return Plays(end, stop, cause, Groups(play_ids.rows(sends["p"], sends["y"]), len(table)))


PLAYS = Index("plays", build_plays, (FRAMES, CALLS, PLAY_IDS, CALL_IDS), holds=(Plays, Groups))
