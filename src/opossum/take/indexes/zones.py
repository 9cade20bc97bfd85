"""Who is in a zone: the visitor that each zone send tells of."""

from __future__ import annotations

import numpy as np

from opossum.stream.tables import Array
from opossum.take.index import Index
from opossum.take.json_values import json_values
from opossum.take.recording import Recording

NOBODY = -1


def build_visitor_of_send(recording: Recording) -> Array:
    """Return int32 (sends,): a number for who is in the zone (`d.other`) of each zone send, else `NOBODY`.

    It is the code of the visitor's name; a name that is no text of the take gets a number beyond those codes.
    """
    table = recording.tables["send"]
    visitors = np.full(len(table), NOBODY, np.int32)
    rows = np.flatnonzero(np.asarray(table["via"]) == recording.code("zone"))
    fresh: dict[str, int] = {}

    def number_of(data: object) -> int:
        who = data.get("other") if isinstance(data, dict) else None
        if who is None:
            return NOBODY
        known = recording.code(str(who))
        return known if known >= 0 else len(recording.strings) + fresh.setdefault(str(who), len(fresh))

    visitors[rows] = json_values(table.json("d"), rows, number_of)
    return visitors


VISITOR_OF_SEND = Index("visitor_of_send", build_visitor_of_send)
