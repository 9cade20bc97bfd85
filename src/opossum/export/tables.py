"""A take's tables as Arrow tables that need no key: names instead of codes, nulls instead of sentinels."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

import numpy as np

from opossum.stream.kinds import KINDS, Field, FieldType
from opossum.stream.tables import ABSENT, Column, JsonColumn, told_counts
from opossum.take.take import Take

if TYPE_CHECKING:
    import pyarrow as pa


def plain_tables(take: Take) -> dict[str, pa.Table]:
    """Return every kind that has records as a table with the stream's own field names, and what is derived.

    `p` and `th` are names; times are ns as in the stream.  To `call` is added `end_t`, `duration_ns`, `frame` (the game's
    number), `event` and `cause` (the id of the call it was sent from); `frames` and `listeners` are tables of their own.
    """
    import pyarrow as pa

    texts = pa.array(take.strings, pa.string())
    peers = pa.array([span.name for span in take.peers] or [""], pa.string())
    tables: dict[str, pa.Table] = {}
    for kind, table in take.tables.items():
        if not len(table):
            continue
        columns: dict[str, Any] = {
            "line": pa.array(np.asarray(table["line"], np.int64)),
            "t": pa.array(np.asarray(table["t"], np.int64)),
            "p": peers.take(pa.array(np.asarray(table["p"], np.int64))),
            "th": _texts(table["th"], texts),
        }
        for field in KINDS[kind].fields:
            columns[field.name] = _plain(table.columns[field.name], field, texts)
        if kind == "call":
            columns |= _of_calls(take, texts)
        tables[kind] = pa.table(columns)
    if len(take.frames):
        tables["frames"] = _frames(take, peers)
    if len(take.listeners):
        tables["listeners"] = _listeners(take, texts, peers)
    return tables


def _plain(column: Column, field: Field, texts: pa.Array) -> Any:
    import pyarrow as pa

    if isinstance(column, JsonColumn):
        if not column.data:
            return pa.nulls(len(column), pa.string())
        present = column.present()
        return pa.array([column[row] if there else None for row, there in enumerate(present.tolist())], pa.string())
    values = np.asarray(column)
    match field.type:
        case FieldType.TEXT:
            return _texts(values, texts)
        case FieldType.ID:
            return pa.array(values.astype(np.int64), mask=values == 0)
        case FieldType.FLAG:
            return pa.array(values == 1, mask=values < 0)
        case FieldType.NUMBER:
            return pa.array(values.astype(np.float64), mask=np.isnan(values))
    if field.required:
        return pa.array(values.astype(np.int64))
    return pa.array(told_counts(values), mask=values == ABSENT[FieldType.COUNT])


def _texts(codes: Any, texts: pa.Array) -> Any:
    import pyarrow as pa

    codes = np.asarray(codes, np.int64)
    if not len(texts):
        return pa.nulls(len(codes), pa.string())
    return texts.take(pa.array(np.maximum(codes, 0), mask=codes < 0))


def _numbers(values: Any, absent: Any) -> Any:
    import pyarrow as pa

    values = np.asarray(values, np.int64)
    return pa.array(values, mask=values == absent)


def _of_calls(take: Take, texts: pa.Array) -> dict[str, Any]:
    import pyarrow as pa

    calls = take.calls
    frame = np.append(np.asarray(take.frames.number, np.int64), -2)[calls.frame]
    ids = np.append(np.asarray(take.tables["call"]["c"], np.int64), 0)[calls.parent]
    return {
        "end_t": pa.array(np.asarray(calls.end_ns, np.int64), mask=~np.asarray(calls.returned)),
        "duration_ns": pa.array(np.asarray(calls.duration_ns, np.int64)),
        "frame": _numbers(frame, -2),
        "event": _texts(calls.event, texts),
        "cause": _numbers(ids, 0),
    }


def _frames(take: Take, peers: pa.Array) -> pa.Table:
    import pyarrow as pa

    frames = take.frames
    columns: dict[str, Any] = {"p": peers.take(pa.array(np.asarray(frames.peer, np.int64)))}
    for name in ("number", "line", "start_ns", "work_end_ns", "end_ns", "work_ns", "held_ns", "machine_ns"):
        columns[name] = pa.array(np.asarray(getattr(frames, name), np.int64))
    columns["loading"] = pa.array(np.asarray(frames.loading, bool))
    return pa.table(columns)


def _listeners(take: Take, texts: pa.Array, peers: pa.Array) -> pa.Table:
    import pyarrow as pa

    listeners, calls = take.listeners, take.calls
    count = len(listeners)
    # a damaged stream may tell of more time than fits
    time = np.clip(np.bincount(calls.listener, weights=calls.duration_ns, minlength=count), 0, 2**62).astype(np.int64)
    wasted = np.bincount(calls.listener[calls.effect == 0], minlength=count)
    return pa.table(
        {
            "p": peers.take(pa.array(np.asarray(listeners.peer, np.int64))),
            "o": _texts(listeners.owner, texts),
            "class": pa.array([take.class_of(owner) or None for owner in listeners.owner.tolist()], pa.string()),
            "fn": _texts(listeners.function, texts),
            "ev": _texts(listeners.event, texts),
            "calls": pa.array(np.bincount(calls.listener, minlength=count)),
            "time_ns": pa.array(time),
            "without_effect": pa.array(wasted),
        }
    )
