"""The flow of a take: sends, the calls they made, and which call caused which send."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, NamedTuple

import numpy as np

from opossum.stream.tables import Array
from opossum.take.frames import game_times
from opossum.take.ids import Groups, IdIndex, factorised

if TYPE_CHECKING:
    from opossum.take.take import Take


class Sends(NamedTuple):
    """Columns beside the `send` table. `frame`: frame row; `cause`: call row it was sent from, or -1."""

    frame: Array
    cause: Array


@dataclass(eq=False, repr=False)
class Calls:
    """Columns beside the `call` table, one row a call in stream order.

    `send`, `bind`: rows, -1 where unknown. `parent`: the call that sent this call's send, or -1.
    `frame`: frame row. `start_ns`, `end_ns`; `returned` is False for a call that never came back (its end
    is then the end of its peer's stream). `game_start_ns`, `game_end_ns`: the same on a clock that stands still
    while the game is held. `ret`: row of its `ret`, or -1. `effect`: -1 unknown, else how many things it changed or sent.
    `listener`: number of its (peer, owner, function, event); see `Listeners`.
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
    event: Array
    listener: Array

    def __len__(self) -> int:
        return len(self.send)

    @property
    def duration_ns(self) -> Array:
        """Return how long each call took, calls made inside it counted in, time held not; int64 (n,)."""
        return self.game_end_ns - self.game_start_ns


@dataclass(eq=False, repr=False)
class Listeners:
    """Every distinct (peer, owner, function, event) that was called: string codes, (listeners,) each."""

    peer: Array
    owner: Array
    function: Array
    event: Array

    def __len__(self) -> int:
        return len(self.owner)


def make_sends(take: Take) -> Sends:
    """Join sends with frames and with the calls they were sent from."""
    table = take.tables["send"]
    cause = take.call_ids.rows(table["p"], table["c"])
    known = cause >= 0
    call_lines = np.asarray(take.tables["call"]["line"], np.int64)
    if known.any():
        # a cause that comes after its effect is damage; kept, it could close a circle
        late = known & (call_lines[np.maximum(cause, 0)] > np.asarray(table["line"], np.int64))
        cause = np.where(late, np.int32(-1), cause)
    return Sends(take.frames.rows_of_lines(table["p"], table["line"]), cause)


def make_calls(take: Take) -> tuple[Calls, Listeners]:
    """Join calls with sends, binds, returns and frames, and number the listeners."""
    table, sends, rets = take.tables["call"], take.tables["send"], take.tables["ret"]
    count = len(table)
    send = take.send_ids.rows(table["p"], table["s"])
    known_send = np.maximum(send, 0)
    event = np.where(send >= 0, sends["ev"][known_send], -1) if len(sends) else np.full(count, -1)
    parent = np.where(send >= 0, take.sends.cause[known_send], -1) if len(sends) else np.full(count, -1)
    # a call may only descend from one that began before it
    parent = np.where(parent < np.arange(count), parent, -1).astype(np.int32)
    bind = take.bind_ids.rows(table["p"], table["b"])

    start = np.asarray(table["t"], np.int64)
    ret_call = take.call_ids.rows(rets["p"], rets["c"])[::-1]  # reversed: the first return counts
    ret_rows = np.arange(len(rets) - 1, -1, -1)
    sound = ret_call >= 0
    ret_call, ret_rows = ret_call[sound], ret_rows[sound]
    ret = np.full(count, -1, np.int32)
    ret[ret_call] = ret_rows
    returned = ret >= 0
    last = np.array([span.last_t for span in take.peers] or [0], np.int64)
    end = last[np.asarray(table["p"], np.int64)] if count else start.copy()
    end[ret_call] = np.asarray(rets["t"], np.int64)[ret_rows]
    end = np.maximum(end, start)
    effect = np.full(count, -1, np.int64)
    effect[ret_call] = rets["eff"][ret_rows]

    owner, function, peer = (np.asarray(table[name]) for name in ("o", "fn", "p"))
    if len(take.tables["bind"]):
        binds, bound = take.tables["bind"], bind >= 0
        from_bind = np.maximum(bind, 0)
        owner = np.where((owner < 0) & bound, np.asarray(binds["o"])[from_bind], owner)
        function = np.where((function < 0) & bound, np.asarray(binds["fn"])[from_bind], function)
    listener, first = _numbered_by_bind(take, bind, peer, event, owner, function) or factorised(
        peer, event, owner, function
    )
    listeners = Listeners(peer[first], owner[first], function[first], event[first])
    frame = take.frames.rows_of_lines(table["p"], table["line"])
    calls = Calls(
        send,
        bind,
        parent,
        frame,
        start,
        end,
        game_times(take, table["p"], start),
        game_times(take, table["p"], end),
        returned,
        ret,
        narrowed_effect(effect),
        event.astype(np.int32),
        listener,
    )
    return calls, listeners


def _numbered_by_bind(
    take: Take, bind: Array, peer: Array, event: Array, owner: Array, function: Array
) -> tuple[Array, Array] | None:
    """Number listeners by their binds, which are few, if every call agrees with its bind; else None.

    The same numbers as `factorised` gives up to their order, at a quarter of its cost.
    """
    table = take.tables["bind"]
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


def narrowed_effect(effect: Array) -> Array:
    """Return effects as int32, larger ones at its limit (nobody needs to count beyond)."""
    return np.minimum(effect, np.iinfo(np.int32).max).astype(np.int32)


def top_calls(parent: Array) -> Array:
    """Return int32 (n,): the outermost ancestor of each call, itself where it has none.

    Pointer doubling (each step halves what is left of every chain), so depth d costs log2 d passes.
    """
    top = np.where(parent >= 0, parent, np.arange(len(parent), dtype=np.int32))
    while True:
        further = top[top]
        if np.array_equal(further, top):
            return top
        top = further


def same_on_other_peers(take: Take, call: int) -> list[int]:
    """Return the calls on other peers for sends that share the `net` key of this call's send, in time order.

    Cost: a look through the sends' keys.
    """
    sends, calls = take.tables["send"], take.calls
    send = int(calls.send[call])
    key = int(sends["net"][send]) if send >= 0 else -1
    if key < 0:
        return []
    rows = np.flatnonzero((np.asarray(sends["net"]) == key) & (np.asarray(sends["p"]) != sends["p"][send]))
    found = np.flatnonzero(np.isin(calls.send, rows))
    return found[np.argsort(calls.start_ns[found], kind="stable")].tolist()


def chain_of(parent: Array, call: int, limit: int = 100_000) -> list[int]:
    """Return the calls from `call` outwards to the one nobody called, innermost first."""
    chain = [int(call)]
    while parent[chain[-1]] >= 0 and len(chain) < limit:
        chain.append(int(parent[chain[-1]]))
    return chain


def effects_of(children: Groups, call: int, limit: int = 500) -> list[int]:
    """Return the calls that sprang from `call`, nearest first, at most `limit`."""
    found: list[int] = []
    edge = [int(call)]
    while edge and len(found) < limit:
        edge = [int(child) for parent in edge for child in children.rows(parent)[:limit]]
        found += edge
    return found[:limit]


def make_children(take: Take) -> Groups:
    """Group calls by the call that caused them."""
    return Groups(take.calls.parent, len(take.calls))


def nested_own_time(starts: Array, ends: Array) -> tuple[Array, Array]:
    """Return (own time in ns, depth) of calls of one thread given in order of beginning, by containment.

    Own time is a call's duration less that of the calls that ran inside it, whoever caused them.
    """
    own = np.asarray(ends - starts, np.int64).copy()
    depth = np.zeros(len(starts), np.int64)
    stack: list[int] = []
    start_list, end_list = starts.tolist(), ends.tolist()
    for row in range(len(start_list)):
        while stack and end_list[stack[-1]] <= start_list[row]:
            stack.pop()
        depth[row] = len(stack)
        if stack:
            own[stack[-1]] -= min(end_list[row], end_list[stack[-1]]) - start_list[row]
        stack.append(row)
    return np.maximum(own, 0), depth


def make_id_index(take: Take, kind: str, field: str) -> IdIndex:
    """Index the ids that records of `kind` introduce in `field`."""
    table = take.tables[kind]
    return IdIndex(table["p"], table[field])
