"""What happened on one side as one table in the order of lines: what each thing is, and what it hangs on.

Every row is something that has a counterpart or not: an object's life, a listener, a send, a call, a timer, a clip, a
wait, the end of one of these, or a stretch: all the calls of a listener that runs with every frame.
"""

from __future__ import annotations

from dataclasses import dataclass
from enum import IntEnum

import numpy as np

from opossum.compare.every_frame import Labels, peer_numbers
from opossum.compare.names import CommonNames
from opossum.compare.side import Side
from opossum.stream.tables import Array
from opossum.take.grouping import Groups, factorised
from opossum.take.lives import Lives


class What(IntEnum):
    """What a row of the table is."""

    OBJECT = 0  # one whose spawn is not told
    STRETCH = 1
    SPAWN = 2
    BIND = 3
    SEND = 4
    CALL = 5
    ARM = 6
    PLAY = 7
    WAIT = 8
    SPAWN_END = 9
    BIND_END = 10
    ARM_END = 11
    PLAY_END = 12


ENDS = (What.SPAWN_END, What.BIND_END, What.ARM_END, What.PLAY_END)
TABLES = {
    What.SPAWN: "spawn",
    What.BIND: "bind",
    What.SEND: "send",
    What.CALL: "call",
    What.ARM: "arm",
    What.PLAY: "play",
    What.WAIT: "wait",
    What.SPAWN_END: "gone",
    What.BIND_END: "unbind",
    What.ARM_END: "disarm",
    What.PLAY_END: "stop",
}
"""The table whose row each one is; an OBJECT's row is its string code, a STRETCH's its listener."""

_PARTS = ("what", "row", "line", "peer", "label", "cause", "life", "second")
Part = dict[str, Array]


@dataclass(eq=False, repr=False)
class Nodes:
    """Columns (n,) in order of lines, int32 but for the times.

    `what`, `row` (of its table), `line`, `peer`; `label`: what it is called, equal on both sides where equal; `cause`,
    `life` (the owner's), `second` (a listener of a call, a source or visitor, what an end ends): rows of this very table
    further up, or -1.  `frame`: frame row, `seconds`: as the game was told of time.
    """

    what: Array
    row: Array
    line: Array
    peer: Array
    label: Array
    cause: Array
    life: Array
    second: Array
    frame: Array
    seconds: Array

    def __len__(self) -> int:
        return len(self.what)


def nodes_of(side: Side, labels: Labels, names: CommonNames, *, by_peer: bool) -> Nodes:
    """Make the table of one side. Cost: sorts of its records, and of calls and returns once."""
    return _Building(side, labels, names, by_peer).made()


class _Building:
    """Gathers the parts of the table, each referring to others by (what, row), and puts them in order of lines."""

    def __init__(self, side: Side, labels: Labels, names: CommonNames, by_peer: bool) -> None:
        self.side, self.take, self.labels, self.names = side, side.take, labels, names
        self.codes = names.of_codes(side.take)
        tables = side.take.tables
        owners = [np.asarray(tables[kind]["o"]) for kind in ("spawn", "bind", "send", "arm", "play", "wait", "watch")]
        self.classes = names.of_classes(side.take, [*owners, np.asarray(side.take.listeners.owner)])
        self.peers = peer_numbers(side, names, by_peer)
        self.lives = Lives(side.take)
        # references are one number: what * stride + row
        self.stride = 1 + max(len(side.take.strings), *(len(table) for table in tables.values()))
        self.parts: list[Part] = []

    def reference(self, what: What, rows: Array) -> Array:
        """Return int64 (n,): references to rows of one sort, -1 where a row is negative."""
        rows = np.asarray(rows, np.int64)
        return np.where(rows >= 0, int(what) * self.stride + rows, -1)

    def life(self, peers: Array, objects: Array, lines: Array) -> Array:
        """Return references to objects' lives: to their spawn, else to the object that was always there."""
        objects = np.asarray(objects, np.int64)
        spawn = self.lives.at(peers, objects, lines)
        return np.where(spawn >= 0, self.reference(What.SPAWN, spawn), self.reference(What.OBJECT, objects))

    def called_from(self, kind: str, rows: Array) -> Array:
        """Return references to the calls that records were written in: as they say, else by how calls enclose."""
        return self.of_calls(self.take.callers_of(kind)[rows])

    def of_calls(self, calls: Array) -> Array:
        """Return references to calls; those that come with every frame are their listener's stretch."""
        calls = np.asarray(calls, np.int64)
        each = np.append(self.labels.call_each_frame, False)[calls]
        listener = np.append(np.asarray(self.take.calls.listener, np.int64), -1)[calls]
        return np.where(each, self.reference(What.STRETCH, listener), self.reference(What.CALL, calls))

    def add(self, what: What, rows: Array, label: tuple[Array, ...], **references: Array) -> None:
        """Add a part: `label` holds common numbers, `references` any of `cause`, `life`, `second`."""
        table = self.take.tables[TABLES[what]]
        self._add(
            what,
            rows,
            np.asarray(table["line"], np.int64)[rows],
            np.asarray(table["p"], np.int64)[rows],
            label,
            references,
        )

    def _add(
        self,
        what: What,
        rows: Array,
        lines: Array,
        peers: Array,
        label: tuple[Array, ...],
        references: dict[str, Array],
    ) -> None:
        count = len(rows)
        part: Part = {
            "what": np.full(count, int(what), np.int8),
            "row": np.asarray(rows, np.int64),
            "line": lines,
            "peer": peers,
            "label": np.stack([self.peers[peers], *(np.asarray(column, np.int32) for column in label)])
            if count
            else np.zeros((1 + len(label), 0), np.int32),
        }
        for name in ("cause", "life", "second"):
            part[name] = np.asarray(references.get(name, np.full(count, -1)), np.int64)
        self.parts.append(part)

    # --- the parts -----------------------------------------------------------------------------------

    def made(self) -> Nodes:
        """Gather all parts and put them in order."""
        self._spawns()
        self._binds()
        self._sends()
        self._calls()
        self._arms()
        self._plays()
        self._waits()
        self._ends()
        self._objects()
        return self._in_order()

    def _columns(self, kind: str) -> tuple[Array, dict[str, Array]]:
        rows, table = self.side.rows(kind), self.take.tables[kind]
        return rows, {
            name: np.asarray(column, np.int64)[rows]
            for name, column in table.columns.items()
            if isinstance(column, np.ndarray) and column.dtype.kind == "i"
        }

    def _spawns(self) -> None:
        rows, own = self._columns("spawn")
        parent = self.life(own["p"], own["parent"], own["line"])
        parent = np.where(parent == self.reference(What.SPAWN, rows), -1, parent)
        self.add(
            What.SPAWN, rows, (self.classes[own["o"]],), cause=self.called_from("spawn", rows), life=parent
        )  # fmt: skip

    def _binds(self) -> None:
        rows, own = self._columns("bind")
        label = (self.codes[own["ev"]], self.codes[own["fn"]], self.classes[own["o"]])
        life, source = (self.life(own["p"], own[name], own["line"]) for name in ("o", "src"))
        self.add(What.BIND, rows, label, cause=self.called_from("bind", rows), life=life, second=source)

    def _sends(self) -> None:
        take = self.take
        rows, own = self._columns("send")
        rows = rows[~self.labels.send_each_frame[rows]]
        own = {
            name: np.asarray(take.tables["send"][name], np.int64)[rows] for name in ("p", "o", "a", "y", "line", "edge")
        }
        call = np.asarray(take.sends.cause, np.int64)[rows]
        arm, play = take.arm_ids.rows(own["p"], own["a"]), take.play_ids.rows(own["p"], own["y"])
        cause = self.of_calls(call)
        cause = np.where(cause >= 0, cause, self.reference(What.ARM, arm))
        cause = np.where(cause >= 0, cause, self.reference(What.PLAY, play))
        visitor = np.asarray(take.visitor_of_send, np.int64)[rows]
        visitor = np.where(visitor < len(take.strings), visitor, -1)
        self.add(
            What.SEND,
            rows,
            (self.labels.of_send[rows],),
            cause=cause,
            life=self.life(own["p"], own["o"], own["line"]),
            second=self.life(own["p"], visitor, own["line"]),
        )

    def _calls(self) -> None:
        take, calls = self.take, self.take.calls
        rows = self.side.rows("call")
        stretched = self.labels.call_each_frame[rows]
        self._stretches(rows[stretched])
        rows = rows[~stretched]
        table, listeners = take.tables["call"], take.listeners
        peers, lines = np.asarray(table["p"], np.int64)[rows], np.asarray(table["line"], np.int64)[rows]
        owner = np.asarray(listeners.owner, np.int64)[calls.listener[rows]]
        send = np.asarray(calls.send, np.int64)[rows]
        # a send that comes with every frame is no row; its few other listeners hang on what sent it
        sent_each = np.append(self.labels.send_each_frame, False)[send]
        sender = self.of_calls(np.asarray(calls.parent, np.int64)[rows])
        self.add(
            What.CALL,
            rows,
            (self.labels.of_call[rows],),
            cause=np.where(sent_each, sender, self.reference(What.SEND, send)),
            life=self.life(peers, owner, lines),
            second=self.reference(What.BIND, np.asarray(calls.bind, np.int64)[rows]),
        )

    def _stretches(self, calls: Array) -> None:
        take = self.take
        listener = np.asarray(take.calls.listener)[calls]
        groups = Groups(listener, len(take.listeners))
        used = np.flatnonzero(groups.sizes() > 0)
        first = calls[groups.order[groups.starts[used]]] if len(used) else calls[:0]
        table = take.tables["call"]
        peers, lines = np.asarray(table["p"], np.int64)[first], np.asarray(table["line"], np.int64)[first]
        owner = np.asarray(take.listeners.owner, np.int64)[used]
        references = {
            "life": self.life(peers, owner, lines),
            "second": self.reference(What.BIND, np.asarray(take.calls.bind, np.int64)[first]),
        }
        self._add(What.STRETCH, used, lines, peers, (self.labels.of_call[first],), references)

    def _arms(self) -> None:
        rows, own = self._columns("arm")
        event = self.codes[np.asarray(self.take.arms.event, np.int64)[rows]]
        label = (self.codes[own["what"]], event, self.classes[own["o"]])
        life = self.life(own["p"], own["o"], own["line"])
        self.add(What.ARM, rows, label, cause=self.called_from("arm", rows), life=life)

    def _plays(self) -> None:
        rows, own = self._columns("play")
        label = (self.codes[own["clip"]], self.classes[own["o"]])
        life = self.life(own["p"], own["o"], own["line"])
        self.add(What.PLAY, rows, label, cause=self.called_from("play", rows), life=life)

    def _waits(self) -> None:
        rows, own = self._columns("wait")
        label = (self.codes[own["ev"]], self.classes[own["o"]])
        life = self.life(own["p"], own["o"], own["line"])
        self.add(What.WAIT, rows, label, cause=self.called_from("wait", rows), life=life)

    def _ends(self) -> None:
        take = self.take
        gone, own = self._columns("gone")
        spawn = self.lives.at(own["p"], own["o"], own["line"])
        self._end(What.SPAWN_END, gone, self.reference(What.SPAWN, spawn))
        unbind, own = self._columns("unbind")
        self._end(What.BIND_END, unbind, self.reference(What.BIND, take.bind_ids.rows(own["p"], own["b"])))
        disarm, own = self._columns("disarm")
        cleared = own["how"] != take.code("done")
        ended = self.reference(What.ARM, take.arm_ids.rows(own["p"], own["a"]))
        self._end(What.ARM_END, disarm[cleared], ended[cleared])
        stop, own = self._columns("stop")
        cut = own["how"] != take.code("end")
        ended = self.reference(What.PLAY, take.play_ids.rows(own["p"], own["y"]))
        self._end(What.PLAY_END, stop[cut], ended[cut])

    def _end(self, what: What, rows: Array, ended: Array) -> None:
        known = ended >= 0
        rows, ended = rows[known], ended[known]
        self.add(what, rows, (), cause=self.called_from(TABLES[what], rows), second=ended)

    def _objects(self) -> None:
        """Add the objects that something refers to and whose spawn is not told; they stand before everything."""
        named: list[Array] = []
        for part in self.parts:
            for name in ("life", "second"):
                refs = part[name]
                named.append(refs[(refs >= 0) & (refs < self.stride)])
        objects = np.unique(np.concatenate(named)) if named else np.zeros(0, np.int64)
        nowhere = np.full(len(objects), -1, np.int64)
        self._add(What.OBJECT, objects, nowhere, np.zeros(len(objects), np.int64), (self.codes[objects],), {})

    # --- in order ------------------------------------------------------------------------------------

    def _in_order(self) -> Nodes:
        lines = np.concatenate([part["line"] for part in self.parts])
        what = np.concatenate([part["what"] for part in self.parts])
        order = np.lexsort((what, lines))
        joined = {
            name: np.concatenate([part[name] for part in self.parts])[order] for name in _PARTS if name != "label"
        }
        place = np.full(len(What) * self.stride, -1, np.int32)
        place[joined["what"].astype(np.int64) * self.stride + joined["row"]] = np.arange(len(order), dtype=np.int32)
        own = np.arange(len(order))
        for name in ("cause", "life", "second"):
            found = np.where(joined[name] >= 0, place[joined[name]], -1)
            joined[name] = np.where(found < own, found, -1).astype(np.int32)
        width = max(part["label"].shape[0] for part in self.parts)
        label = np.full((width, len(order)), -1, np.int32)
        begin = 0
        for part in self.parts:
            label[: part["label"].shape[0], begin : begin + len(part["row"])] = part["label"]
            begin += len(part["row"])
        peers = joined["peer"]
        times = self._times(joined["what"], joined["row"])
        return Nodes(
            what=joined["what"],
            row=joined["row"].astype(np.int32),
            line=joined["line"],
            peer=peers,
            label=label[:, order],
            cause=joined["cause"],
            life=joined["life"],
            second=joined["second"],
            frame=self.take.frames.rows_of_lines(peers, np.maximum(joined["line"], 0)),
            seconds=self.side.seconds(peers, times),
        )

    def _times(self, what: Array, rows: Array) -> Array:
        times = np.zeros(len(what), np.int64)
        begin = min((span.first_t for span in self.take.peers), default=0)
        times[what == What.OBJECT] = begin
        for sort, kind in TABLES.items():
            mine = what == sort
            times[mine] = np.asarray(self.take.tables[kind]["t"], np.int64)[rows[mine]]
        mine = what == What.STRETCH
        first = self.take.calls_by_listener
        times[mine] = self.take.calls.start_ns[first.order[first.starts[rows[mine]]]]
        return times


def same_labels(one: Nodes, other: Nodes) -> None:
    """Give two sides' labels, so far columns, one number each: equal where what they stand for is called alike."""
    width = max(one.label.shape[0], other.label.shape[0])
    columns = []
    for nodes in (one, other):
        more = np.full((width - nodes.label.shape[0], len(nodes)), -1, np.int32)
        columns.append(np.concatenate((nodes.label, more, nodes.what[None, :].astype(np.int32))))
    joint = np.concatenate(columns, axis=1)
    codes, _ = factorised(*joint) if joint.shape[1] else (np.zeros(0, np.int32), None)
    one.label, other.label = codes[: len(one)], codes[len(one) :]
