"""Waits: how each ended."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from opossum.stream.tables import Array
from opossum.take.ids import IdIndex
from opossum.take.index import Index
from opossum.take.indexes.identities import WAIT_IDS
from opossum.take.recording import Recording


class Waits(NamedTuple):
    """Columns beside the `wait` table: end in ns, and how it ended (`met` row of that table, or -1; `quit`)."""

    end_ns: Array
    met: Array
    quit: Array


def build_waits(recording: Recording, wait_ids: IdIndex) -> Waits:
    """Join waits with what met them."""
    table = recording.tables["wait"]
    end = recording.end_of_peers(table["p"])
    met, given_up = np.full(len(table), -1, np.int64), np.zeros(len(table), bool)
    for kind in ("met", "quit"):
        other = recording.tables[kind]
        rows = wait_ids.rows(other["p"], other["w"])[::-1]
        sound = rows >= 0
        end[rows[sound]] = np.asarray(other["t"], np.int64)[::-1][sound]
        if kind == "met":
            met[rows[sound]] = np.arange(len(other) - 1, -1, -1)[sound]
        else:
            given_up[rows[sound]] = True
    return Waits(end, met, given_up)


WAITS = Index("waits", build_waits, (WAIT_IDS,), holds=(Waits,))
