"""Sends: the frame each falls in, and the call it was sent from."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from opossum.stream.tables import Array
from opossum.take.ids import IdIndex
from opossum.take.index import Index
from opossum.take.indexes.callers import callers, first_returns
from opossum.take.indexes.frames import FRAMES, Frames
from opossum.take.indexes.identities import CALL_IDS
from opossum.take.recording import Recording


class Sends(NamedTuple):
    """Columns beside the `send` table. `frame`: frame row; `cause`: call row it was sent from, or -1."""

    frame: Array
    cause: Array


def build_sends(recording: Recording, frames: Frames, call_ids: IdIndex) -> Sends:
    """Join sends with frames and with the calls they were sent from. Linear in sends, where calls are told."""
    table = recording.tables["send"]
    cause = call_ids.rows(table["p"], table["c"])
    known = cause >= 0
    if len(cause) and not known.all():
        cause = _as_nested(recording, frames, call_ids, cause)
        known = cause >= 0
    call_lines = np.asarray(recording.tables["call"]["line"], np.int64)
    if known.any():
        # a cause that comes after its effect is damage; kept, it could close a circle
        late = known & (call_lines[np.maximum(cause, 0)] > np.asarray(table["line"], np.int64))
        cause = np.where(late, np.int32(-1), cause)
    return Sends(frames.rows_of_lines(table["p"], table["line"]), cause)


def _as_nested(recording: Recording, frames: Frames, call_ids: IdIndex, told: Array) -> Array:
    """Return the causes with those of peers that tell of none, by how calls enclose their sends.

    A peer that tells some tells all: what it sends for itself in the midst of a call is not the call's.
    """
    peers = np.asarray(recording.tables["send"]["p"], np.int64)
    tells = np.zeros(len(recording.peers), bool)
    tells[peers[told >= 0]] = True
    if tells[peers].all():
        return told
    nested = callers(recording, "send", frames, call_ids, first_returns(recording, call_ids))
    return np.where(tells[peers], told, nested)


SENDS = Index("sends", build_sends, (FRAMES, CALL_IDS), holds=(Sends,), first=True)
