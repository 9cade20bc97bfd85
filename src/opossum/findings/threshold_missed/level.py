"""Level: a watched value crossed the level that an event follows, and the event did not come."""

from __future__ import annotations

import math
from collections.abc import Iterator
from typing import NamedTuple

import numpy as np

from opossum.findings.declaring import Cause
from opossum.findings.finding import Found, Severity, Subject
from opossum.findings.scene import Scene
from opossum.findings.settings import Threshold
from opossum.findings.wording import with_place
from opossum.stream.tables import Array
from opossum.take.grouping import Groups, distinct, factorised
from opossum.take.json_values import as_number, json_values
from opossum.words import counted, tr

LEVEL_CROSSINGS = Threshold(
    "level_crossings", 4, "crossings", "an event that came at three crossings may have come by chance"
)

FOLLOWS_FRAMES = 2
SENDS_TRIED = 16
"""Sends of an event before which all watched numbers are looked up; few stand that by chance."""
MOST_SENDS_A_CHANGE = 1.0


class Changes(NamedTuple):
    """Changes of one watched number: rows of `watch`, the value before and after each, and the frame (row)."""

    rows: Array
    before: Array
    after: Array
    frame: Array


def find(scene: Scene) -> Iterator[Found]:
    """Yield levels crossed unseen. Cost: for each event, the numbers that changed just before it first came, each looked up
    before a few more of its sends; for each of several senders, its own numbers.
    """
    take = scene.take
    if not len(take.tables["watch"]):
        return
    numbers = _Numbers(scene)
    told: set[tuple[int, int, int]] = set()
    for peer, event, sends, alone in _events(scene):
        for number in numbers.candidates(peer, sends, alone):
            changes = numbers.changes(number)
            if changes is not None and len(sends) <= MOST_SENDS_A_CHANGE * len(changes.rows):
                missed = _missed(scene, changes, sends) if (peer, event, number) not in told else None
                if missed is not None:
                    told.add((peer, event, number))  # of all that send it, and then not of one of them again
                    yield _tell(scene, sends, changes, *missed)


class _Numbers:
    """The watched numbers of a take, by number."""

    def __init__(self, scene: Scene) -> None:
        self._take = take = scene.take
        self._fewest = scene[LEVEL_CROSSINGS]
        table = take.tables["watch"]
        count = len(table)
        self._lines = np.asarray(table["line"], np.int64)
        self._frames = take.frames.rows_of_lines(table["p"], table["line"]).astype(np.int64)
        self._codes, first = factorised(table["p"], table["o"], table["name"])
        self._peers = np.asarray(table["p"])[first]
        self._of_owner: dict[tuple[int, int], list[int]] = {}
        for number, owner in enumerate(zip(self._peers.tolist(), np.asarray(table["o"])[first].tolist(), strict=True)):
            self._of_owner.setdefault(owner, []).append(number)
        self._groups = Groups(self._codes, len(first))
        order = self._groups.order.astype(np.int64)
        self._keys = self._codes[order] * (count + 1) + order
        """By (number, row), ascending: where to look up a number's last change before a row."""
        self._values = np.array(json_values(table.json("v"), np.arange(count), _number), np.float64)
        self._before = np.full(count, np.nan)
        self._before[order[1:]] = np.where(np.diff(self._codes[order]) == 0, self._values[order[:-1]], np.nan)
        self._known: dict[int, Changes | None] = {}

    def crossing(self, peer: int, sends: Array) -> list[int]:
        """Return the numbers of a peer whose last change before each of a few sends crosses one level in one direction.

        What every send must hold to (see `_missed`) is asked of some of them here, for all numbers at once.
        """
        some = np.concatenate((sends[:SENDS_TRIED], sends[-1:]))
        rows = np.searchsorted(self._lines, np.asarray(self._take.tables["send"]["line"], np.int64)[some])
        frames = self._take.sends.frame[some].astype(np.int64)
        since = self._take.frames.line[max(frames[0] - FOLLOWS_FRAMES, self._take.frames.of_peer(peer).start)]
        left = distinct(self._codes[np.searchsorted(self._lines, since) : rows[0]])
        left = left[self._peers[left] == peer].astype(np.int64)
        # bounds of the values before and after, turned round for the way down
        bounds = np.full((4, len(left)), [[-np.inf], [np.inf], [np.inf], [-np.inf]])
        for row, frame in zip(rows.tolist(), frames.tolist(), strict=True):
            last = self._groups.order[
                np.maximum(np.searchsorted(self._keys, left * (len(self._lines) + 1) + row) - 1, 0)
            ]
            before, after = self._before[last], self._values[last]
            bounds[0], bounds[1] = np.maximum(bounds[0], before), np.minimum(bounds[1], after)
            bounds[2], bounds[3] = np.minimum(bounds[2], before), np.maximum(bounds[3], after)
            good = (self._codes[last] == left) & (last < row) & (frame - self._frames[last] <= FOLLOWS_FRAMES)
            good &= (bounds[0] < bounds[1]) | (bounds[2] > bounds[3])
            left, bounds = left[good], bounds[:, good]
        return left.tolist()

    def candidates(self, peer: int, sends: Array, alone: bool) -> list[int]:
        """Return the numbers an event may follow: its sender's own where one fits, else, if it sends `alone`, all that fit.

        What one of several senders leaves out another may send, so that only its own numbers tell.
        """
        senders = np.asarray(self._take.tables["send"]["o"])[sends]
        own = self._of_owner.get((peer, int(senders[0])), []) if (senders == senders[0]).all() else []
        if not alone:
            return own
        fitting = self.crossing(peer, sends)
        return [number for number in fitting if number in own] or fitting

    def changes(self, number: int) -> Changes | None:
        """Return the changes of a number that takes more than two values, None of any other."""
        if number not in self._known:
            rows = self._groups.rows(number).astype(np.int64)
            seen = self._values[rows]
            told = len(rows) > self._fewest and np.isfinite(seen).all() and len(np.unique(seen)) > 2
            self._known[number] = Changes(rows[1:], seen[:-1], seen[1:], self._frames[rows[1:]]) if told else None
        return self._known[number]


def _number(value: object) -> float:
    return math.nan if isinstance(value, bool) else as_number(value)


def _events(scene: Scene) -> Iterator[tuple[int, int, Array, bool]]:
    """Yield (peer, event, sends, whether these are all of them) of events that do not come by themselves, often enough to
    learn from; where several objects send one, each object's sends too.
    """
    take = scene.take
    table = take.tables["send"]
    away = [take.code(name) for name in ("tick", "timer", "input", "zone", "clock")]
    rows = np.flatnonzero(~np.isin(np.asarray(table["via"]), away) & scene.in_play(take.sends.frame))
    least = scene[LEVEL_CROSSINGS]
    for sends in _parted(rows, least, *(np.asarray(table[name])[rows] for name in ("p", "ev"))):
        peer, event = int(table["p"][sends[0]]), int(table["ev"][sends[0]])
        yield peer, event, sends, True
        senders = np.asarray(table["o"])[sends]
        if (senders != senders[0]).any():
            yield from ((peer, event, part, False) for part in _parted(sends, least, senders))


def _parted(rows: Array, least: float, *columns: Array) -> Iterator[Array]:
    """Yield the rows of each group that has enough of them, ascending."""
    if len(rows):
        codes, first = factorised(*columns)
        groups = Groups(codes, len(first))
        for number in np.flatnonzero(groups.sizes() >= least).tolist():
            yield rows[groups.rows(number)]


def _missed(scene: Scene, changes: Changes, sends: Array) -> tuple[Array, Array, float, bool] | None:
    """Return (crossings without the event, those with it, level, whether it is crossed upwards), None where nothing is learnt.

    Each send must follow a change that crosses one level in one direction; the first four crossings must all be followed.
    """
    take = scene.take
    lines = np.asarray(take.tables["watch"]["line"], np.int64)[changes.rows]
    sent = np.asarray(take.tables["send"]["line"], np.int64)[sends]
    place = np.searchsorted(lines, sent) - 1
    near = place >= 0
    near &= take.sends.frame[sends] - changes.frame[np.maximum(place, 0)] <= FOLLOWS_FRAMES
    if not near.all():
        return None
    before, after = changes.before[place], changes.after[place]
    up = bool((after > before).all())
    if not up and not (after < before).all():
        return None
    low, high = (before.max(), after.min()) if up else (before.min(), after.max())
    if (up and low >= high) or (not up and low <= high):
        return None
    if up:
        crossing = (changes.before <= low) & (changes.after >= high)
    else:
        crossing = (changes.before >= low) & (changes.after <= high)
    places = np.flatnonzero(crossing)
    followed = np.isin(places, place)
    least = int(scene[LEVEL_CROSSINGS])
    frames = take.frames.of_peer(int(take.tables["send"]["p"][sends[0]]))
    unseen = places[~followed & (changes.frame[places] + FOLLOWS_FRAMES < frames.stop - 1)]
    unseen = unseen[~_may_be_lost(scene, changes.frame[unseen])]
    if len(places) < least or not followed[:least].all() or not len(unseen) or 4 * len(unseen) > followed.sum():
        return None
    return unseen, places[followed], float(high), up


def _gaps_before(scene: Scene) -> Array:
    """Return int64 (frames + 1,): from how many frames records are missing before each; at the end, from how many in all."""
    return np.concatenate(([0], np.cumsum(scene.take.frames.gap)))


def _may_be_lost(scene: Scene, frames: Array) -> Array:
    """Return a boolean array (n,): records are missing from a frame (row), the one before, or one in which what follows could come.

    None of them is a peer's first, which is loading, for the first crossings were followed in play; nor its last.
    """
    gaps = scene.once(_gaps_before)
    return gaps[frames + FOLLOWS_FRAMES + 1] > gaps[frames - 1]


def _tell(scene: Scene, sends: Array, changes: Changes, unseen: Array, seen: Array, level: float, up: bool) -> Found:
    take = scene.take
    event = take.text(int(take.tables["send"]["ev"][sends[0]]))
    table = take.tables["watch"]
    owner, name = take.text(int(table["o"][changes.rows[0]])), take.text(int(table["name"][changes.rows[0]]))
    first = int(unseen[0])
    step = tr("from {before:g} to {after:g}", before=changes.before[first], after=changes.after[first])
    evidence = scene.evidence("watch", changes.rows[unseen][:4].tolist(), tr("crossed, and nothing was sent"))
    evidence += scene.evidence("watch", changes.rows[seen][:3].tolist(), tr("crossed, and the event came"))
    return Found(
        subject=Subject(
            ev=event,
            o=owner,
            cls=take.class_of(int(table["o"][changes.rows[0]])),
            peer=scene.peer_name(int(take.tables["send"]["p"][sends[0]])),
        ),
        frame_rows=changes.frame[unseen],
        count=len(unseen),
        summary=tr(
            "`{event}` follows when `{name}` of {owner} {rises_to} about {level:g} ({times}), but not "
            "{times2}: it went {step} at once.",
            event=event,
            name=name,
            owner=owner,
            rises_to=tr("rises to") if up else tr("falls to"),
            level=level,
            times=counted(len(seen), "time"),
            times2=counted(len(unseen), "time"),
            step=step,
        ),
        advice=with_place(
            tr(
                "Ask whether `{name}` crossed {level:g} since the last look, not whether it equals it or lies near it.",
                name=name,
                level=level,
            ),
            scene.place_of_sends(sends),
        ),
        evidence=tuple(evidence),
        told_apart=(name,),
    )


LEVEL = Cause(
    "level",
    "its level was crossed unseen",
    Severity.FAULT,
    find,
    (LEVEL_CROSSINGS,),
    about="A watched value crossed the level that an event followed in its first four crossings, and the event did not come.",
    quiet="values of two states; more than one crossing in five without it.",
)
