"""What is so at one moment of a take: who lives, what the watched values are, and what set them."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from opossum.stream.tables import Array
from opossum.take.indexes.objects import ALIVE
from opossum.take.take import Take

DEEPEST_SEARCH = 4096
"""How many calls before a record are looked at for the one it was made in."""


class Value(NamedTuple):
    """A watched value: whose, its name, what it is (JSON), since which moment (ns), and the call that set it, or -1."""

    o: str
    name: str
    text: str
    since_ns: int
    row: int
    call: int


def values_at(take: Take, line: int) -> list[Value]:
    """Return every watched value as it was when `line` of the stream was written, by object and name.

    Cost: one sort of the `watch` records, and a short search for each value's call.
    """
    table = take.tables["watch"]
    rows = np.flatnonzero(np.asarray(table["line"]) <= line)
    if not len(rows):
        return []
    keys = np.stack([np.asarray(table[name], np.int64)[rows] for name in ("p", "o", "name")])
    order = np.lexsort((rows, *keys[::-1]))
    sorted_keys = keys[:, order]
    last = np.append(np.any(sorted_keys[:, 1:] != sorted_keys[:, :-1], axis=0), True)
    found = [
        Value(
            take.text(int(table["o"][row])),
            take.text(int(table["name"][row])),
            table.json("v")[row],
            int(table["t"][row]),
            row,
            call_around(take, int(table["p"][row]), int(table["th"][row]), int(table["line"][row])),
        )
        for row in rows[order][last].tolist()
    ]
    return sorted(found, key=lambda value: (value.o, value.name))


def call_around(take: Take, peer: int, thread: int, line: int) -> int:
    """Return the innermost call of its frame that ran on a thread when a line was written, or -1.

    One that has run since an earlier frame was suspended: what others do meanwhile is not its doing.
    """
    table, returns, calls = take.tables["call"], take.tables["ret"], take.calls
    stop = int(np.searchsorted(np.asarray(table["line"]), line)) if len(table) else 0
    rows = np.arange(stop - 1, max(-1, stop - 1 - DEEPEST_SEARCH), -1)
    if not len(rows):
        return -1
    mine = (np.asarray(table["p"])[rows] == peer) & (np.asarray(table["th"])[rows] == thread)
    mine &= calls.frame[rows] == frame_at(take, peer, line)
    ret = calls.ret[rows]
    ended = np.where(ret >= 0, np.asarray(returns["line"], np.int64)[ret] if len(returns) else 0, 1 << 62)
    around = np.flatnonzero(mine & (ended > line))
    return int(rows[around[0]]) if len(around) else -1


def alive_at(take: Take, line: int) -> list[tuple[str, str]]:
    """Return (object, class) of all that live when a line is written, by class and name.

    Objects whose beginning the stream does not tell are not listed.
    """
    spawn = take.tables["spawn"]
    rows = np.flatnonzero(np.asarray(spawn["line"]) <= line)
    if not len(rows):
        return []
    peers, objects = np.asarray(spawn["p"])[rows], np.asarray(spawn["o"])[rows]
    # the last spawn of a name counts; whether it lives is asked for the moment itself
    state = take.objects.state_at(peers, objects, np.full(len(rows), line))
    living = set(objects[state == ALIVE].tolist())
    return sorted(((take.text(code), take.class_of(code)) for code in living), key=lambda item: (item[1], item[0]))


def says_until(take: Take, line: int, most: int) -> Array:
    """Return the rows of the last `most` log lines up to a line, oldest first."""
    rows = np.flatnonzero(np.asarray(take.tables["say"]["line"]) <= line)
    return rows[-most:]


def frame_at(take: Take, peer: int, line: int) -> int:
    """Return the row of the frame of a peer in which a line was written, or -1."""
    return int(take.frames.rows_of_lines(np.array([peer]), np.array([line]))[0])


def last_line(take: Take) -> int:
    """Return the line of the take's last record."""
    return max((span.last_line for span in take.peers), default=0)


def held_call(take: Take, peer_name: str, call_id: int) -> int:
    """Return the row of a peer's call by its id in the stream, or -1 while it has not been read."""
    peer = next((number for number, span in enumerate(take.peers) if span.name == peer_name), -1)
    table = take.tables["call"]
    rows = np.flatnonzero((np.asarray(table["c"]) == call_id) & (np.asarray(table["p"]) == peer))
    return int(rows[-1]) if len(rows) else -1
