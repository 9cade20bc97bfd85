"""Things that last: timers and delays, clips and tracks, waits, and what stands on queues."""

from __future__ import annotations

import json
from typing import TYPE_CHECKING, NamedTuple

import numpy as np

from opossum.stream.tables import Array
from opossum.take.ids import Groups
from opossum.take.lives import NEVER

if TYPE_CHECKING:
    from opossum.take.take import Take


class Arms(NamedTuple):
    """Columns beside the `arm` table: ends (line and ns; `NEVER` where still armed) and firings.

    `firings` groups rows of the `send` table by arm; `event` is the arm's own event, else that of its
    first firing (-1: unknown). `cause`: call row that set it, or -1.
    """

    end_line: Array
    end_ns: Array
    event: Array
    cause: Array
    firings: Groups


def make_arms(take: Take) -> Arms:
    """Join timers and delays with their ends and their firings."""
    table, disarms, sends = take.tables["arm"], take.tables["disarm"], take.tables["send"]
    count = len(table)
    end_line, end_ns = np.full(count, NEVER, np.int64), np.full(count, NEVER, np.int64)
    rows = take.arm_ids.rows(disarms["p"], disarms["a"])[::-1]
    sound = rows >= 0
    end_line[rows[sound]] = np.asarray(disarms["line"], np.int64)[::-1][sound]
    end_ns[rows[sound]] = np.asarray(disarms["t"], np.int64)[::-1][sound]
    firings = Groups(take.arm_ids.rows(sends["p"], sends["a"]), count)
    event = np.asarray(table["ev"], np.int64).copy()
    fired = np.flatnonzero(firings.sizes() > 0)
    first_firing = firings.order[firings.starts[fired]]
    unnamed = event[fired] < 0
    event[fired[unnamed]] = sends["ev"][first_firing[unnamed]]
    # a delay ends when it fires, even if its disarm is told after the calls it made
    once = fired[np.asarray(table["loop"])[fired] != 1]
    last_firing = firings.order[firings.starts[once + 1] - 1]
    end_line[once] = np.minimum(end_line[once], np.asarray(sends["line"], np.int64)[last_firing])
    end_ns[once] = np.minimum(end_ns[once], np.asarray(sends["t"], np.int64)[last_firing])
    return Arms(end_line, end_ns, event, take.call_ids.rows(table["p"], table["c"]), firings)


def paused_spans(take: Take, arm: int) -> list[tuple[int, int]]:
    """Return the (from, to) times in ns in which timer or delay `arm` (a row) was paused."""
    table = take.tables["arm"]
    peer, name = int(table["p"][arm]), int(table["a"][arm])
    changes: list[tuple[int, bool]] = []
    if table["paused"][arm] == 1:
        changes.append((int(table["t"][arm]), True))
    for kind, is_pause in (("pause", True), ("resume", False)):
        other = take.tables[kind]
        mine = np.flatnonzero((np.asarray(other["a"]) == name) & (np.asarray(other["p"]) == peer))
        changes += [(int(other["t"][row]), is_pause) for row in mine]
    spans: list[tuple[int, int]] = []
    since: int | None = None
    for time, is_pause in sorted(changes):
        if is_pause and since is None:
            since = time
        elif not is_pause and since is not None:
            spans.append((since, time))
            since = None
    if since is not None:
        spans.append((since, min(int(take.arms.end_ns[arm]), take.peers[peer].last_t)))
    return spans


class Plays(NamedTuple):
    """Columns beside the `play` table: how each clip ended and which sends came from its marks.

    `end_ns` and `stop` (row of the `stop`, -1 where it was still playing); `fired` groups `send` rows by play.
    """

    end_ns: Array
    stop: Array
    fired: Groups


def make_plays(take: Take) -> Plays:
    """Join clips and tracks with their stops and with the sends of their marks."""
    table, stops, sends = take.tables["play"], take.tables["stop"], take.tables["send"]
    last = np.array([span.last_t for span in take.peers] or [0], np.int64)
    end = last[np.asarray(table["p"], np.int64)] if len(table) else np.zeros(0, np.int64)
    stop = np.full(len(table), -1, np.int64)
    rows = take.play_ids.rows(stops["p"], stops["y"])[::-1]
    sound = rows >= 0
    stop[rows[sound]] = np.arange(len(stops) - 1, -1, -1)[sound]
    end[rows[sound]] = np.asarray(stops["t"], np.int64)[::-1][sound]
    return Plays(end, stop, Groups(take.play_ids.rows(sends["p"], sends["y"]), len(table)))


def marks_of(take: Take, play: int) -> list[tuple[str, float]]:
    """Return the marks a clip was started with, as (name, seconds into the clip); ill-formed ones are left out."""
    text = take.tables["play"].json("marks")[play]
    try:
        value = json.loads(text) if text else []
    except (ValueError, RecursionError):
        return []
    marks = []
    for item in value if isinstance(value, list) else []:
        if isinstance(item, list) and len(item) == 2 and isinstance(item[0], str) and isinstance(item[1], int | float):
            marks.append((item[0], float(item[1])))
    return marks


class Waits(NamedTuple):
    """Columns beside the `wait` table: end in ns, and how it ended (`met` row of that table, or -1; `quit`)."""

    end_ns: Array
    met: Array
    quit: Array


def make_waits(take: Take) -> Waits:
    """Join waits with what met them."""
    table = take.tables["wait"]
    last = np.array([span.last_t for span in take.peers] or [0], np.int64)
    end = last[np.asarray(table["p"], np.int64)] if len(table) else np.zeros(0, np.int64)
    met, given_up = np.full(len(table), -1, np.int64), np.zeros(len(table), bool)
    for kind in ("met", "quit"):
        other = take.tables[kind]
        rows = take.wait_ids.rows(other["p"], other["w"])[::-1]
        sound = rows >= 0
        end[rows[sound]] = np.asarray(other["t"], np.int64)[::-1][sound]
        if kind == "met":
            met[rows[sound]] = np.arange(len(other) - 1, -1, -1)[sound]
        else:
            given_up[rows[sound]] = True
    return Waits(end, met, given_up)


class Queues(NamedTuple):
    """What went through queues, in time order: `name` (string code), `time_ns`, `length` after it, `send` row."""

    name: Array
    peer: Array
    time_ns: Array
    length: Array
    send: Array
    pulled: Array


def make_queues(take: Take) -> Queues:
    """Merge puts and pulls and count each queue's length. Cost: n log n in puts and pulls."""
    put, pull = take.tables["put"], take.tables["pull"]

    def both(field: str) -> Array:
        return np.concatenate((np.asarray(put[field], np.int64), np.asarray(pull[field], np.int64)))

    name, peer, line, time = both("q"), both("p"), both("line"), both("t")
    pulled = np.concatenate((np.zeros(len(put), bool), np.ones(len(pull), bool)))
    send = take.send_ids.rows(peer, both("s"))
    order = np.lexsort((line, name, peer))
    name, peer, time, pulled, send = name[order], peer[order], time[order], pulled[order], send[order]
    steps = np.where(pulled, -1, 1)
    total = np.cumsum(steps)
    fresh = np.concatenate(([True], (np.diff(name) != 0) | (np.diff(peer) != 0))) if len(name) else np.zeros(0, bool)
    group = np.cumsum(fresh) - 1
    base = (total - steps)[fresh]
    length = total - base[group] if len(name) else total
    return Queues(name, peer, time, np.maximum(length, 0), send, pulled)
