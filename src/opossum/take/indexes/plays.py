"""Clips and tracks: how each ended, and which sends came from its marks."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from opossum.stream.tables import Array
from opossum.take.grouping import Groups
from opossum.take.ids import IdIndex
from opossum.take.index import Index
from opossum.take.indexes.identities import PLAY_IDS
from opossum.take.recording import Recording


class Plays(NamedTuple):
    """Columns beside the `play` table: how each clip ended and which sends came from its marks.

    `end_ns` and `stop` (row of the `stop`, -1 where it was still playing); `fired` groups `send` rows by play.
    """

    end_ns: Array
    stop: Array
    fired: Groups


def build_plays(recording: Recording, play_ids: IdIndex) -> Plays:
    """Join clips and tracks with their stops and with the sends of their marks."""
    table, stops, sends = (recording.tables[kind] for kind in ("play", "stop", "send"))
    end = recording.end_of_peers(table["p"])
    stop = np.full(len(table), -1, np.int64)
    rows = play_ids.rows(stops["p"], stops["y"])[::-1]
    sound = rows >= 0
    stop[rows[sound]] = np.arange(len(stops) - 1, -1, -1)[sound]
    end[rows[sound]] = np.asarray(stops["t"], np.int64)[::-1][sound]
    return Plays(end, stop, Groups(play_ids.rows(sends["p"], sends["y"]), len(table)))


PLAYS = Index("plays", build_plays, (PLAY_IDS,), holds=(Plays, Groups))
