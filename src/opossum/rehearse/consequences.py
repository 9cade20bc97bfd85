"""What goes with what is taken away: all that was sent, set, bound, played and spawned within it, and what came of that."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np

from opossum.rehearse.plan import Plan, no_rows
from opossum.stream.tables import Array
from opossum.take.grouping import Groups
from opossum.take.lives import Lives
from opossum.take.take import Take

WITHIN = (
    "send",
    "spawn",
    "gone",
    "bind",
    "unbind",
    "arm",
    "pause",
    "resume",
    "disarm",
    "play",
    "stop",
    "wait",
    "put",
    "watch",
    "say",
)
"""Kinds of records that are written within calls."""

OWNED = ("bind", "send", "arm", "play", "wait")
"""Kinds of records that name an owner: they go with its life."""


@dataclass(eq=False, repr=False)
class Gone:
    """What is not told any more: a boolean array (rows of the table,) for every kind, and which calls are in doubt.

    `doubtful` (calls,): a call that is still told, but may come otherwise or not at all; `certain_to`: the frame row from
    which there are such calls, -1 if there are none.
    """

    flags: dict[str, Array]
    doubtful: Array
    certain_to: int

    def count(self, kind: str) -> int:
        """Return how many records of a kind go."""
        return int(self.flags[kind].sum())


class Following:
    """What hangs on what in a take: asked from the causes on. Building costs sorts of its records."""

    def __init__(self, take: Take) -> None:
        self.take = take
        self._lives = Lives(take)
        calls = len(take.calls)
        self._by_call = {kind: Groups(_call_of(take, kind), calls) for kind in WITHIN}
        self._by_send = Groups(np.asarray(take.calls.send, np.int64), len(take.tables["send"]))
        self._by_bind = Groups(np.asarray(take.calls.bind, np.int64), len(take.tables["bind"]))
        spawns = len(take.tables["spawn"])
        self._by_life = {kind: Groups(self._life_of(kind), spawns) for kind in OWNED}
        listeners, table = take.listeners, take.tables["call"]
        owner = np.asarray(listeners.owner)[take.calls.listener] if calls else np.zeros(0, np.int64)
        self._calls_by_life = Groups(self._lives.at(table["p"], owner, table["line"]), spawns)

    def _life_of(self, kind: str) -> Array:
        """Return int64 (rows,): the life (spawn) that each record's owner lives, -1 where its spawn is not told."""
        table = self.take.tables[kind]
        return self._lives.at(table["p"], table["o"], table["line"]).astype(np.int64)

    def everything(self, seeds: dict[str, Array], but: Array | None = None) -> dict[str, Array]:
        """Return boolean arrays of all that hangs on the seeds (rows by kind), themselves among it, `but` some sends.

        Cost: linear in what is found, and one step a level of causes.
        """
        take = self.take
        flags = {kind: np.zeros(len(table), bool) for kind, table in take.tables.items()}
        stays = np.zeros(len(take.tables["send"]), bool)
        stays[no_rows() if but is None else but] = True
        edge = {kind: np.unique(rows) for kind, rows in seeds.items() if len(rows)}
        while edge:
            following: dict[str, list[Array]] = {}
            for kind, rows in edge.items():
                flags[kind][rows] = True
                for other, found in self._of(kind, rows):
                    following.setdefault(other, []).append(found)
            edge = {}
            for kind, parts in following.items():
                rows = np.unique(np.concatenate(parts)).astype(np.int64)
                rows = rows[~(flags[kind] | stays if kind == "send" else flags[kind])[rows]]
                if len(rows):
                    edge[kind] = rows
        self._told_of(flags)
        return flags

    def _of(self, kind: str, rows: Array) -> list[tuple[str, Array]]:
        take = self.take
        match kind:
            case "call":
                return [(other, group.rows_of_all(rows)) for other, group in self._by_call.items()]
            case "send":
                return [("call", self._by_send.rows_of_all(rows))]
            case "bind":
                return [("call", self._by_bind.rows_of_all(rows))]
            case "arm":
                return [("send", take.arms.firings.rows_of_all(rows))]
            case "play":
                return [("send", take.plays.fired.rows_of_all(rows))]
            case "spawn":
                own = [(other, group.rows_of_all(rows)) for other, group in self._by_life.items()]
                return [*own, ("call", self._calls_by_life.rows_of_all(rows))]
        return []

    def _told_of(self, flags: dict[str, Array]) -> None:
        """Flag the records that tell of what goes: returns, ends, puts and pulls."""
        take = self.take
        tables = take.tables
        ends = [
            ("ret", "c", "call", take.call_ids),
            ("unbind", "b", "bind", take.bind_ids),
            ("pause", "a", "arm", take.arm_ids),
            ("resume", "a", "arm", take.arm_ids),
            ("disarm", "a", "arm", take.arm_ids),
            ("stop", "y", "play", take.play_ids),
            ("put", "s", "send", take.send_ids),
            ("pull", "s", "send", take.send_ids),
            ("met", "w", "wait", take.wait_ids),
            ("quit", "w", "wait", take.wait_ids),
            ("met", "s", "send", take.send_ids),
            ("stuck", "c", "call", take.call_ids),
            ("spin", "c", "call", take.call_ids),
        ]
        for kind, field, of, ids in ends:
            rows = ids.rows(tables[kind]["p"], np.asarray(tables[kind][field], np.int64))
            flags[kind] |= np.append(flags[of], False)[rows]
        gone, spawn = tables["gone"], flags["spawn"]
        life = self._lives.at(gone["p"], gone["o"], gone["line"])
        flags["gone"] |= np.append(spawn, False)[life]


def _call_of(take: Take, kind: str) -> Array:
    """Return int64 (rows,): the call each record was written in, -1 where in none."""
    return np.asarray(take.sends.cause if kind == "send" else take.callers_of(kind), np.int64)


def what_goes(take: Take, plan: Plan) -> Gone:
    """Return what a plan takes away with all that hangs on it, and what is in doubt afterwards."""
    following = Following(take)
    calls = [plan.calls]
    sends = [plan.sends]
    table = take.tables
    binds, lines = plan.unbound
    if len(binds):
        calls.append(_later_calls(take, binds, lines))
    arms, lines = plan.cleared
    if len(arms):
        firings = take.arms.firings
        of_arm = np.repeat(np.arange(len(arms)), firings.sizes()[arms])
        fired = firings.rows_of_all(arms).astype(np.int64)
        sends.append(fired[np.asarray(table["send"]["line"], np.int64)[fired] > lines[of_arm]])
    silenced = plan.silenced
    if len(silenced):
        sends.append(_sent_by(take, silenced))
    seeds = {
        "call": np.concatenate(calls),
        "send": np.concatenate(sends),
        "bind": plan.binds,
        "arm": plan.arms,
    }
    flags = following.everything(seeds, plan.events)
    doubtful = _doubtful(take, following, flags, silenced)
    # an end that is told sooner is not told again
    for kind, field, (rows, _), ids, of in (
        ("unbind", "b", plan.unbound, take.bind_ids, "bind"),
        ("disarm", "a", plan.cleared, take.arm_ids, "arm"),
    ):
        ended = np.zeros(len(table[of]) + 1, bool)
        ended[rows] = True
        ended[-1] = False
        flags[kind] |= ended[ids.rows(table[kind]["p"], np.asarray(table[kind][field], np.int64))]
    rows = np.flatnonzero(doubtful)
    return Gone(flags, doubtful, int(take.calls.frame[rows].min()) if len(rows) else -1)


def _later_calls(take: Take, binds: Array, lines: Array) -> Array:
    """Return the calls through binds that came after a line each."""
    end = np.full(len(take.tables["bind"]) + 1, np.iinfo(np.int64).max, np.int64)
    end[binds] = lines
    end[-1] = np.iinfo(np.int64).max
    line = np.asarray(take.tables["call"]["line"], np.int64)
    return np.flatnonzero(line > end[take.calls.bind])


def _sent_by(take: Take, calls: Array) -> Array:
    flags = np.zeros(len(take.calls) + 1, bool)
    flags[calls] = True
    flags[-1] = False
    return np.flatnonzero(flags[take.sends.cause])


def _doubtful(take: Take, following: Following, flags: dict[str, Array], silenced: Array) -> Array:
    """Return (calls,): what an object does after it may have come to be another than it was, and what comes of that.

    That is one who lost a call that changed something (effects on values are not replayed), and one whose end, listener's
    end, timer's end or awaited event is not told any more, for it goes on living, listening, firing or waiting.
    """
    calls = take.calls
    doubtful = np.zeros(len(calls), bool)
    peers, owners, lines = (np.concatenate(parts) for parts in zip(*_changed(take, flags, silenced), strict=True))
    known = owners >= 0
    peers, owners, lines = peers[known], owners[known], lines[known]
    if not len(owners) or not len(calls):
        return doubtful
    table = take.tables["call"]
    stride = len(take.strings) + 1
    key = np.asarray(table["p"], np.int64) * stride + np.asarray(take.listeners.owner, np.int64)[calls.listener]
    keys, place = np.unique(peers * stride + owners, return_inverse=True)
    since = np.full(len(keys), np.iinfo(np.int64).max, np.int64)
    np.minimum.at(since, place, lines)
    at = np.minimum(np.searchsorted(keys, key), len(keys) - 1)
    after = (keys[at] == key) & (np.asarray(table["line"], np.int64) > since[at]) & ~flags["call"]
    later = np.flatnonzero(after)
    sent = _sent_by(take, later)
    came = following.everything({"send": sent})["call"] if len(sent) else doubtful
    return (after | came) & ~flags["call"]


def _changed(take: Take, flags: dict[str, Array], silenced: Array) -> Iterator[tuple[Array, Array, Array]]:
    """Yield (peers, owners, lines) of who may be another from which line on."""
    tables, calls = take.tables, take.calls
    lost = np.union1d(np.flatnonzero(flags["call"] & (calls.effect != 0)), silenced).astype(np.int64)
    owner = np.asarray(take.listeners.owner, np.int64)[calls.listener] if len(calls) else lost
    table = tables["call"]
    yield np.asarray(table["p"], np.int64)[lost], owner[lost], np.asarray(table["line"], np.int64)[lost]
    gone = np.flatnonzero(flags["gone"])
    yield tuple(np.asarray(tables["gone"][name], np.int64)[gone] for name in ("p", "o", "line"))  # type: ignore[misc]
    for kind, field, of, ids in (
        ("unbind", "b", "bind", take.bind_ids),
        ("disarm", "a", "arm", take.arm_ids),
        ("met", "w", "wait", take.wait_ids),
    ):
        rows = np.flatnonzero(flags[kind])
        peer, line = (np.asarray(tables[kind][name], np.int64)[rows] for name in ("p", "line"))
        ended = ids.rows(peer, np.asarray(tables[kind][field], np.int64)[rows])
        # what goes itself needs no end
        kept = ~np.append(flags[of], True)[ended]
        yield peer[kept], np.append(np.asarray(tables[of]["o"], np.int64), -1)[ended[kept]], line[kept]
