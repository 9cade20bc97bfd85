"""The Strands' rows: what shares one, gathered once a take, linear in its arms, plays, waits, queue steps and watches."""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass, field
from functools import cached_property

import numpy as np

from opossum.stream.tables import Array, Table
from opossum.take.grouping import Groups, distinct, factorised, parted
from opossum.take.indexes.objects import NEVER
from opossum.take.take import Take
from opossum.words import tr, translatable
from opossum_desk.state.peer_prefix import peer_prefix

BLENDED_SHARE = 0.5
"""Clips that share less than this of the shorter one follow each other, blended."""
MOST_ROWS_APART = 24
"""Of a class so many objects that play clips at once have a row each; more of them share one."""
MOST_OWNERS = 1000
"""Owners of one row that a sieve knows by name."""

_TITLES = {
    "timer": translatable("timer"),
    "delay": translatable("delay"),
    "clip": translatable("clips"),
    "track": translatable("track"),
    "wait": translatable("waits for"),
    "queue": translatable("queue"),
    "value": translatable("value"),
    "log": translatable("log lines"),
}


@dataclass(eq=False, repr=False)
class StrandRow:
    """One row: its kind, what it is called, and its items (rows of the kind's table), by start time.

    `gone_ns`: for timers, when the owner went while it was armed; NaN where it did not; `paused`: whether it ever was.
    `event`, `cls`, `owners`, `peer`: what a sieve knows it by.  `moments_ns`: when anything happened on it, ascending.
    """

    kind: str
    label: str
    items: Array
    starts_ns: Array
    ends_ns: Array
    gone_ns: Array = field(default_factory=lambda: np.zeros(0))
    event: str = ""
    cls: str = ""
    owners: tuple[str, ...] = ()
    peer: str = ""
    moments_ns: Array = field(default_factory=lambda: np.zeros(0, np.int64))
    paused: Array = field(default_factory=lambda: np.zeros(0, bool))

    @cached_property
    def _latest_ends(self) -> Array | None:
        """When the latest of the items up to each one ends; nothing where they do not begin one after the other."""
        if len(self.starts_ns) and (self.starts_ns[1:] < self.starts_ns[:-1]).any():
            return None
        return np.maximum.accumulate(np.asarray(self.ends_ns, np.int64))

    def visible(self, window: Array) -> Array:
        """Return the places of the items that reach into a window, from and to in ns.

        Cost: two searches, and a look at those between the first that may last until then and the last that has begun.
        """
        first, stop, latest = 0, len(self.items), self._latest_ends
        if latest is not None:
            # needles of another type would have NumPy convert all that is searched first
            first = int(latest.searchsorted(np.int64(np.ceil(window[0]))))
            stop = int(self.starts_ns.searchsorted(np.int64(np.floor(window[1])), "right"))
        among = slice(first, stop)
        return first + np.flatnonzero((self.starts_ns[among] <= window[1]) & (self.ends_ns[among] >= window[0]))

    def stirs(self, window: Array) -> bool:
        """Say whether anything happens on it from window[0] to window[1] (ns)."""
        low, high = np.searchsorted(self.moments_ns, window.astype(np.int64))
        return bool(high > low)


def gather_strands(take: Take) -> list[StrandRow]:
    """Return the rows of a take, kind by kind, in the order in which they first appear; each is of one peer."""
    rows: list[StrandRow] = []
    arms = take.tables["arm"]
    loops = np.asarray(arms["loop"]) == 1
    for kind, mask in (("timer", loops), ("delay", ~loops)):
        rows += _grouped(take, kind, np.flatnonzero(mask), arms, take.arms.event, take.arms.end_ns)
    plays = take.tables["play"]
    track = np.asarray(plays["what"]) == take.code("track")
    names = clip_names_where_needed(take)
    clips = np.flatnonzero(~track)
    rows += _grouped(take, "clip", clips, plays, names, take.plays.end_ns, _with_rows_apart(take, clips))
    rows += _grouped(take, "track", np.flatnonzero(track), plays, names, take.plays.end_ns)
    waits = take.tables["wait"]
    rows += _grouped(take, "wait", np.arange(len(waits)), waits, np.asarray(waits["ev"]), take.waits.end_ns)
    queues = take.queues
    for items in parted(queues.peer, queues.name):
        peer, name = int(queues.peer[items[0]]), take.text(int(queues.name[items[0]]))
        rows.append(_of_moments(take, "queue", name, peer, items, queues.time_ns, event=name))
    watch = take.tables["watch"]
    for items in sorted(parted(watch["p"], watch["o"], watch["name"]), key=lambda part: int(part[0])):
        peer, owner, of = (int(np.asarray(watch[field])[items[0]]) for field in ("p", "o", "name"))
        name = take.text(of)
        row = _of_moments(take, "value", f"{take.text(owner)} {name}".strip(), peer, items, watch["t"], event=name)
        row.cls, row.owners = take.class_of(owner), (take.text(owner),)
        rows.append(row)
    says = take.tables["say"]
    for items in parted(says["p"]):
        rows.append(_of_moments(take, "log", tr(_TITLES["log"]), int(says["p"][items[0]]), items, says["t"]))
    return rows


def _of_moments(
    take: Take, kind: str, name: str, peer: int, items: Array, times_ns: Array, *, event: str = ""
) -> StrandRow:
    """Return a row of what happens at moments, `times_ns` of all items of its kind."""
    times = np.asarray(times_ns, np.int64)[items]
    row = StrandRow(kind, peer_prefix(take, peer) + name, items, times, times, event=event, moments_ns=np.sort(times))
    row.peer = take.peers[peer].name
    return row


def clip_names_where_needed(take: Take) -> Array:
    """Return (plays,): the code of each clip's name where one object plays several at once, else -1.

    One after the other they share a row; at once they would lie upon each other. A short blend is no such thing.
    """
    owner = np.asarray(take.tables["play"]["o"])
    of_peer, _ = factorised(take.tables["play"]["p"], owner)
    at_once = _begun_at_once(take, np.arange(len(owner)), of_peer)
    classes = {take.class_of(int(code)) for code in distinct(owner[at_once]).tolist()}
    parted = np.array([code for code in distinct(owner).tolist() if take.class_of(int(code)) in classes], np.int64)
    return np.where(np.isin(owner, parted), np.asarray(take.tables["play"]["clip"]), -1)


def _begun_at_once(take: Take, plays: Array, of: Array) -> Array:
    """Return places in `plays` (rows) of what begins while the one before of the same `of` (n,) is on; a blend is no such thing."""
    start = np.asarray(take.tables["play"]["t"], np.float64)[plays]
    end = np.asarray(take.plays.end_ns, np.float64)[plays]
    order = np.lexsort((start, of))
    before, after = order[:-1], order[1:]
    shared = np.minimum(end[before], end[after]) - start[after]
    shorter = np.minimum(end[before] - start[before], end[after] - start[after])
    return after[(of[before] == of[after]) & (shared > shorter * BLENDED_SHARE) & (shorter > 0)]


def _with_rows_apart(take: Take, clips: Array) -> set[int]:
    """Return the owners of clips (rows) that would lie upon those of others of their class, where these are few."""
    owner = np.asarray(take.tables["play"]["o"])[clips]
    owners = distinct(owner)
    names = [take.class_of(int(code)) for code in owners.tolist()]
    numbers = {name: number for number, name in enumerate(dict.fromkeys(names))}
    cls = np.array([numbers[name] for name in names], np.int64)
    cls_of_clip = cls[np.searchsorted(owners, owner)]
    crowded = np.zeros(len(numbers), bool)
    of_peer, _ = factorised(np.asarray(take.tables["play"]["p"])[clips], cls_of_clip)
    crowded[cls_of_clip[_begun_at_once(take, clips, of_peer)]] = True
    members = np.bincount(cls, minlength=len(numbers))
    return set(owners[(crowded & (members > 1) & (members <= MOST_ROWS_APART))[cls]].tolist())


def _grouped(
    take: Take, kind: str, items: Array, table: Table, events: Array, ends: Array, apart: Collection[int] = ()
) -> list[StrandRow]:
    """Return the rows of some items of one kind: those of a class with one event share one, but for owners set `apart`."""
    if not len(items):
        return []
    peer, owner, event = np.asarray(table["p"])[items], np.asarray(table["o"])[items], np.asarray(events)[items]
    pair, first = factorised(peer, owner, event)
    by_name: dict[str, int] = {}
    row_of_pair = np.zeros(len(first), np.int64)
    cls_of_pair = [take.class_of(int(code)) for code in owner[first].tolist()]
    for number in np.argsort(first).tolist():
        one = int(owner[first[number]])
        whose = take.text(one) if one in apart else cls_of_pair[number]
        name = f"{whose} {tr(_TITLES[kind])} {take.text(int(event[first[number]]))}".strip()
        name = peer_prefix(take, int(peer[first[number]])) + name
        row_of_pair[number] = by_name.setdefault(name, len(by_name))
    gathered, pairs = Groups(row_of_pair[pair], len(by_name)), Groups(row_of_pair, len(by_name))
    rows = []
    is_timer = kind == "timer"
    gone = _gone_times(take, items) if is_timer else np.zeros(0)
    paused = np.isin(np.asarray(table["a"])[items], _ever_paused(take)) if is_timer else np.zeros(0, bool)
    starts = np.asarray(table["t"], np.int64)
    for place, name in enumerate(by_name):
        among = gathered.rows(place)
        own = items[among]
        owners = distinct(owner[first[pairs.rows(place)]])
        label = f"{name} ×{len(owners)}" if len(owners) > 1 else name
        row = StrandRow(kind, label, own, starts[own], ends[own], event=take.text(int(events[own[0]])))
        if is_timer:
            row.gone_ns, row.paused = gone[among], paused[among]
        row.cls, row.peer = take.class_of(int(table["o"][own[0]])), take.peers[int(table["p"][own[0]])].name
        row.owners = tuple(take.text(code) for code in owners[:MOST_OWNERS].tolist())
        row.moments_ns = np.sort(np.concatenate((starts[own], _moments(take, kind, own))))
        rows.append(row)
    return rows


def _moments(take: Take, kind: str, items: Array) -> Array:
    """Return int64 (n,): when timers and delays fired, marks came, and waits ended."""
    times = np.asarray(take.tables["send"]["t"], np.int64)
    if kind in ("timer", "delay"):
        return times[take.arms.firings.rows_of_all(items)]
    if kind in ("clip", "track"):
        return times[take.plays.fired.rows_of_all(items)]
    return np.asarray(take.waits.end_ns, np.int64)[items]


def _ever_paused(take: Take) -> Array:
    """Return the ids of timers and delays that were paused, or began so."""
    arms = take.tables["arm"]
    return np.concatenate((take.tables["pause"]["a"], np.asarray(arms["a"])[np.asarray(arms["paused"]) == 1]))


def _gone_times(take: Take, arms: Array) -> Array:
    """Return float64 (n,): when the owners of timers went while they were armed (and stayed so), else NaN."""
    table = take.tables["arm"]
    peers, owners = np.asarray(table["p"])[arms], np.asarray(table["o"])[arms]
    if not len(arms):
        return np.zeros(0)
    line, when = take.objects.next_gone(peers, owners, np.asarray(table["line"])[arms])
    end_line = take.arms.end_line[arms]
    outlived = (line != NEVER) & (end_line > line) & take.objects.spawned(peers, owners)
    times = np.full(len(arms), np.nan)
    known = np.flatnonzero(outlived)
    gone_frame = take.frames.rows_of_lines(peers[known], line[known])
    end_frame = take.frames.rows_of_lines(peers[known], np.minimum(end_line[known], np.iinfo(np.int64).max - 1))
    cleared_in_time = (end_line[known] != NEVER) & (gone_frame == end_frame)
    times[known[~cleared_in_time]] = when[known[~cleared_in_time]]
    return times
