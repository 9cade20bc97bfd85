"""Calls: each joined with its send, bind, return, frame and cause; and the listeners that were called."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np

from opossum.stream.strings import ABSENT_TEXT
from opossum.stream.tables import Array
from opossum.take.grouping import Groups, factorised
from opossum.take.ids import IdIndex
from opossum.take.index import Index
from opossum.take.indexes.callers import first_returns
from opossum.take.indexes.frames import FRAMES, Frames
from opossum.take.indexes.holds import HOLDS, Holds
from opossum.take.indexes.identities import BIND_IDS, CALL_IDS, SEND_IDS
from opossum.take.indexes.sends import SENDS, Sends
from opossum.take.recording import Recording


@dataclass(eq=False, repr=False)
class Listeners:
    """Every distinct (peer, owner, function, event) that was called: string codes, (listeners,) each."""

    peer: Array
    owner: Array
    function: Array
    event: Array

    def __len__(self) -> int:
        return len(self.owner)


@dataclass(eq=False, repr=False)
class Calls:
    """Columns beside the `call` table, one row a call in stream order.

    `send`, `bind`: rows, -1 where unknown. `parent`: the call that sent this call's send, or -1.
    `frame`: frame row. `start_ns`, `end_ns`; `returned` is False for a call that never came back (its end
    is then the end of its peer's stream). `game_start_ns`, `game_end_ns`: the same on a clock that stands still
    while the game is held. `ret`: row of its `ret`, or -1. `effect`: -1 unknown, else how many things it changed or sent;
    `own`: the same as far as its owner's own state shows.
    `listener`: number of its (peer, owner, function, event) among `listeners`.
    """

    send: Array
    bind: Array
    parent: Array
    frame: Array
    start_ns: Array
    end_ns: Array
    game_start_ns: Array
    game_end_ns: Array
    returned: Array
    ret: Array
    effect: Array
    own: Array
    event: Array
    listener: Array
    listeners: Listeners

    def __len__(self) -> int:
        return len(self.send)

    @cached_property
    def duration_ns(self) -> Array:
        """How long each call took, calls made inside it counted in, time held not; int64 (n,), reckoned once."""
        return self.game_end_ns - self.game_start_ns


def build_calls(
    recording: Recording,
    frames: Frames,
    holds: Holds,
    sends: Sends,
    send_ids: IdIndex,
    call_ids: IdIndex,
    bind_ids: IdIndex,
) -> Calls:
    """Join calls with sends, binds, returns and frames, and number the listeners. Linear in calls and returns."""
    table, send_table = recording.tables["call"], recording.tables["send"]
    count = len(table)
    send = send_ids.rows(table["p"], table["s"])
    known_send = np.maximum(send, 0)
    event = np.where(send >= 0, send_table["ev"][known_send], -1) if len(send_table) else np.full(count, -1)
    parent = np.where(send >= 0, sends.cause[known_send], -1) if len(send_table) else np.full(count, -1)
    # a call may only descend from one that began before it
    parent = np.where(parent < np.arange(count), parent, -1).astype(np.int32)
    bind = bind_ids.rows(table["p"], table["b"])
    start = np.asarray(table["t"], np.int64)
    ret, end, effect, own = _returns(recording, call_ids, start)
    listener, listeners = _listeners(recording, bind, event)
    return Calls(
        send,
        bind,
        parent,
        frames.rows_of_lines(table["p"], table["line"]),
        start,
        end,
        holds.game_times(table["p"], start),
        holds.game_times(table["p"], end),
        ret >= 0,
        ret,
        effect,
        own,
        event.astype(np.int32),
        listener,
        listeners,
    )


def _returns(recording: Recording, call_ids: IdIndex, start: Array) -> tuple[Array, Array, Array, Array]:
    """Return (row of its `ret` or -1, end in ns, effect, own effect) of every call."""
    table, rets = recording.tables["call"], recording.tables["ret"]
    ret = first_returns(recording, call_ids)
    ret_call = np.flatnonzero(ret >= 0)
    ret_rows = ret[ret_call]
    end = recording.end_of_peers(table["p"])
    end[ret_call] = np.asarray(rets["t"], np.int64)[ret_rows]
    effects = [_told_effect(rets[name], ret_call, ret_rows, len(table)) for name in ("eff", "own")]
    return ret, np.maximum(end, start), effects[0], effects[1]


def _told_effect(column: Array, ret_call: Array, ret_rows: Array, count: int) -> Array:
    """Return int32 (calls,): what the returns tell, -1 where nothing; large numbers at the type's limit."""
    if column.strides == (0,) and (not len(column) or column[0] < 0):
        return np.broadcast_to(np.int32(-1), (count,))  # nobody tells: that takes no memory
    told = np.full(count, -1, np.int32)
    told[ret_call] = np.clip(np.asarray(column, np.int64)[ret_rows], -1, np.iinfo(np.int32).max)
    return told


def _listeners(recording: Recording, bind: Array, event: Array) -> tuple[Array, Listeners]:
    """Return the number of each call's listener, and the listeners."""
    table, binds = recording.tables["call"], recording.tables["bind"]
    owner, function, peer = (np.asarray(table[name]) for name in ("o", "fn", "p"))
    if len(binds):
        bound, from_bind = bind >= 0, np.maximum(bind, 0)
        owner = np.where((owner < 0) & bound, np.asarray(binds["o"])[from_bind], owner)
        function = np.where((function < 0) & bound, np.asarray(binds["fn"])[from_bind], function)
    empty = recording.code("")
    if empty >= 0:  # an empty text names nobody
        owner, function = (np.where(names == empty, np.int32(ABSENT_TEXT), names) for names in (owner, function))
    numbered = _numbered_by_bind(recording, bind, peer, event, owner, function)
    number, first = numbered or factorised(peer, event, owner, function)
    return number, Listeners(peer[first], owner[first], function[first], event[first])


def _numbered_by_bind(
    recording: Recording, bind: Array, peer: Array, event: Array, owner: Array, function: Array
) -> tuple[Array, Array] | None:
    """Number listeners by their binds, which are few, if every call agrees with its bind; else None.

    The same numbers as `factorised` gives up to their order, at a quarter of its cost.
    """
    table = recording.tables["bind"]
    if not len(bind) or not len(table) or int(bind.min()) < 0:
        return None
    columns = [np.asarray(table[name]) for name in ("p", "ev", "o", "fn")]
    for told, bound in zip((peer, event, owner, function), columns, strict=True):
        if not np.array_equal(told, bound[bind]):
            return None
    of_bind, _ = factorised(*columns)
    first = np.full(len(table), -1, np.int32)
    codes = of_bind[bind]
    first[codes[::-1]] = np.arange(len(codes) - 1, -1, -1, dtype=np.int32)
    used = first >= 0
    return (np.cumsum(used, dtype=np.int32) - 1)[codes], first[used]


def _build_listeners(recording: Recording, calls: Calls) -> Listeners:
    return calls.listeners


def _by_listener(recording: Recording, calls: Calls) -> Groups:
    return Groups(calls.listener, len(calls.listeners))


def _by_frame(recording: Recording, calls: Calls, frames: Frames) -> Groups:
    return Groups(calls.frame, len(frames))


def _by_parent(recording: Recording, calls: Calls) -> Groups:
    return Groups(calls.parent, len(calls))


CALLS = Index(
    "calls",
    build_calls,
    (FRAMES, HOLDS, SENDS, SEND_IDS, CALL_IDS, BIND_IDS),
    holds=(Calls, Listeners),
    first=True,
)
LISTENERS = Index("listeners", _build_listeners, (CALLS,), holds=(Listeners,), first=True)
CALLS_BY_LISTENER = Index("calls_by_listener", _by_listener, (CALLS,), holds=(Groups,), first=True)
CALLS_BY_FRAME = Index("calls_by_frame", _by_frame, (CALLS, FRAMES), holds=(Groups,), first=True)
CHILDREN = Index("children", _by_parent, (CALLS,), holds=(Groups,), first=True)
