"""Rows of a table by (peer, id), for every kind of record that gives ids. Linear for the usual dense ids."""

from __future__ import annotations

from opossum.take.ids import IdIndex
from opossum.take.index import Index
from opossum.take.recording import Recording


def _identities(kind: str, field: str) -> Index[IdIndex]:
    def build(recording: Recording) -> IdIndex:
        table = recording.tables[kind]
        return IdIndex(table["p"], table[field])

    return Index(f"{kind}_ids", build, holds=(IdIndex,))


SEND_IDS = _identities("send", "s")
CALL_IDS = _identities("call", "c")
BIND_IDS = _identities("bind", "b")
ARM_IDS = _identities("arm", "a")
PLAY_IDS = _identities("play", "y")
WAIT_IDS = _identities("wait", "w")
