"""Calls whose owner was gone when they ran."""

from __future__ import annotations

import numpy as np

from opossum.stream.tables import Array
from opossum.take.index import Index
from opossum.take.indexes.calls import CALLS, Calls
from opossum.take.indexes.objects import GONE, OBJECTS, ObjectLives
from opossum.take.recording import Recording


def build_owner_gone(recording: Recording, calls: Calls, objects: ObjectLives) -> Array:
    """Return a boolean array (calls,): the call's owner was gone when it ran (known from `spawn` and `gone`)."""
    table = recording.tables["call"]
    owners = np.asarray(calls.listeners.owner)[calls.listener]
    flags = np.zeros(len(table), bool)
    mortal = np.zeros(len(recording.strings) + 1, bool)
    mortal[np.asarray(recording.tables["gone"]["o"], np.int64)] = True
    asked = np.flatnonzero(mortal[owners] & (owners >= 0))
    if len(asked):
        state = objects.state_at(np.asarray(table["p"])[asked], owners[asked], np.asarray(table["line"])[asked])
        flags[asked] = state == GONE
    return flags


OWNER_GONE = Index("owner_gone", build_owner_gone, (CALLS, OBJECTS))
