"""What comes with every frame: it has no partner by number, so it is compared as a stretch."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from opossum.compare.names import CommonNames
from opossum.compare.side import Side
from opossum.stream.tables import Array
from opossum.take.grouping import factorised
from opossum.words import tr

FEWEST_FRAMES = 30
"""What was seen in fewer frames comes when it comes."""

SHARE = 0.5
"""Comes with every frame: what came in at least this share of the frames between its first and its last."""


class Labels(NamedTuple):
    """What calls and sends of one side are called, as common numbers: (calls,) and (sends,), and which come with frames."""

    of_call: Array
    of_send: Array
    call_each_frame: Array
    send_each_frame: Array


def labelled(sides: tuple[Side, Side], names: CommonNames, *, by_peer: bool) -> tuple[Labels, Labels]:
    """Number the calls and sends of two sides alike, and tell what comes with every frame in either of them.

    A call is labelled by class, function and event, a send by class, event, way, key and mark; both by their peer where
    `by_peer`.  Cost: linear, and sorts of distinct labels.
    """
    calls = [_call_columns(side, names, by_peer) for side in sides]
    sends = [_send_columns(side, names, by_peer) for side in sides]
    call_codes, send_codes = _numbered(calls), _numbered(sends)
    call_frames = _each_frame(
        call_codes, [(side.take.calls.listener, np.asarray(side.take.calls.frame)) for side in sides]
    )
    send_frames = _each_frame(send_codes, [(_sources(side), np.asarray(side.take.sends.frame)) for side in sides])
    made = []
    for number, side in enumerate(sides):
        table = side.take.tables["send"]
        ticks = np.asarray(table["via"]) == side.take.code("tick")
        send_each = send_frames[number] | ticks
        send = side.take.calls.send
        by_tick = np.append(ticks, False)[send]
        made.append(Labels(call_codes[number], send_codes[number], call_frames[number] | by_tick, send_each))
    return made[0], made[1]


def _call_columns(side: Side, names: CommonNames, by_peer: bool) -> list[Array]:
    take, listeners = side.take, side.take.listeners
    codes, classes = names.of_codes(take), names.of_classes(take, [listeners.owner])
    peers = peer_numbers(side, names, by_peer)
    columns = [codes[listeners.event], codes[listeners.function], classes[listeners.owner], peers[listeners.peer]]
    return [np.asarray(column, np.int32)[take.calls.listener] for column in columns]


def _send_columns(side: Side, names: CommonNames, by_peer: bool) -> list[Array]:
    take, table = side.take, side.take.tables["send"]
    codes = names.of_codes(take)
    owner = np.asarray(table["o"], np.int64)
    classes = names.of_classes(take, [owner])
    peers = peer_numbers(side, names, by_peer)
    texts = [codes[np.asarray(table[name], np.int64)] for name in ("ev", "via", "key", "edge", "mark")]
    return [*texts, classes[owner], peers[np.asarray(table["p"], np.int64)]]


def peer_numbers(side: Side, names: CommonNames, by_peer: bool) -> Array:
    """Return int32 (peers,): a common number for each peer's name; all alike where peers are not told apart."""
    spans = side.take.peers
    if not by_peer or len(spans) < 2:
        return np.full(max(1, len(spans)), -1, np.int32)
    return np.array([names.of(tr("peer {name}", name=span.name)) for span in spans], np.int32)


def _numbered(columns: list[list[Array]]) -> list[Array]:
    counts = [len(side[0]) for side in columns]
    joint = [np.concatenate(pair) for pair in zip(*columns, strict=True)]
    if not sum(counts):
        return [np.zeros(0, np.int32), np.zeros(0, np.int32)]
    codes, _ = factorised(*joint)
    return [codes[: counts[0]], codes[counts[0] :]]


def _sources(side: Side) -> Array:
    table = side.take.tables["send"]
    if not len(table):
        return np.zeros(0, np.int32)
    return factorised(table["p"], table["o"], table["ev"])[0]


def _each_frame(codes: list[Array], sources: list[tuple[Array, Array]]) -> list[Array]:
    """Return boolean arrays: the label comes with every frame in one of the sides.

    A label does where at least half of its occurrences are of sources (one listener, one sender) that come so.
    """
    labels = 1 + max((int(code.max(initial=-1)) for code in codes), default=-1)
    each = np.zeros(labels, bool)
    for code, (source, frame) in zip(codes, sources, strict=True):
        if not len(code):
            continue
        order = np.argsort(source, kind="stable")
        by_source, frames = source[order], frame[order].astype(np.int64)
        fresh = np.diff(by_source, prepend=-1) != 0
        starts = np.flatnonzero(fresh)
        other_frame = fresh | (np.diff(frames, prepend=-2) != 0)
        seen = np.add.reduceat(other_frame.astype(np.int64), starts)
        first, last = frames[starts], frames[np.append(starts[1:], len(order)) - 1]
        span = last - first + 1
        dense = (seen >= FEWEST_FRAMES) & (seen >= SHARE * span)
        of_source = np.zeros(int(by_source[-1]) + 1, bool)
        of_source[by_source[starts]] = dense
        often = np.bincount(code, weights=of_source[source], minlength=labels)
        each |= often > SHARE * np.maximum(np.bincount(code, minlength=labels), 1)
    return [each[code] if len(code) else np.zeros(0, bool) for code in codes]
