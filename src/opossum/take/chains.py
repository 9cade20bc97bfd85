"""Chains of causes within what one take tells: from a call outwards, inwards, and across peers."""

from __future__ import annotations

import numpy as np

from opossum.stream.tables import Array
from opossum.take.grouping import Groups
from opossum.take.take import Take


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
