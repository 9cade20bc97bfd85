"""Lives of listeners: when each was bound, and when it, its owner and its only sender ended."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from opossum.stream.tables import Array
from opossum.take.grouping import factorised
from opossum.take.ids import IdIndex
from opossum.take.index import Index
from opossum.take.indexes.frames import FRAMES, Frames
from opossum.take.indexes.identities import BIND_IDS
from opossum.take.indexes.objects import NEVER, OBJECTS, ObjectLives
from opossum.take.recording import Recording


class Binds(NamedTuple):
    """Columns beside the `bind` table: when each listener ended and when its owner did.

    `unbind_line`: line of its `unbind`; `owner_gone_line`, `source_gone_line`: the first
    `gone` of owner and `src` after the bind; all `NEVER` where there is none. `frame`: frame row.
    `same`: number of its (peer, event, owner, function, src).
    """

    frame: Array
    unbind_line: Array
    owner_gone_line: Array
    source_gone_line: Array
    same: Array


def build_binds(recording: Recording, frames: Frames, objects: ObjectLives, bind_ids: IdIndex) -> Binds:
    """Join listeners with their ends and with the lives of their owners and sources."""
    table, unbinds = recording.tables["bind"], recording.tables["unbind"]
    unbind_line = np.full(len(table), NEVER, np.int64)
    rows = bind_ids.rows(unbinds["p"], unbinds["b"])[::-1]  # reversed: the first unbind counts
    lines = np.asarray(unbinds["line"], np.int64)[::-1]
    unbind_line[rows[rows >= 0]] = lines[rows >= 0]
    owner_line, _ = objects.next_gone(table["p"], table["o"], table["line"])
    source_line, _ = objects.next_gone(table["p"], table["src"], table["line"])
    same, _ = factorised(table["p"], table["ev"], table["o"], table["fn"], table["src"])
    return Binds(frames.rows_of_lines(table["p"], table["line"]), unbind_line, owner_line, source_line, same)


BINDS = Index("binds", build_binds, (FRAMES, OBJECTS, BIND_IDS), holds=(Binds,), first=True)
