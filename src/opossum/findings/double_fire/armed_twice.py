"""Armed twice: two looping timers, or exactly two delays that land, are alive together for one owner and event."""

from __future__ import annotations

from collections.abc import Iterator
from typing import NamedTuple

import numpy as np

from opossum.findings.declaring import Cause
from opossum.findings.finding import Found, Severity, Subject
from opossum.findings.links import FROM_PILED_DELAYS, FROM_STALE_CALLS
from opossum.findings.scene import Scene
from opossum.findings.wording import listed
from opossum.stream.tables import Array
from opossum.take.grouping import Runs, distinct, factorised, parted
from opossum.take.indexes.objects import NEVER
from opossum.take.json_values import json_codes
from opossum.words import counted, tr

MOST_COMPARED = 20
"""Firings of a timer whose data are looked at: enough to see whether they tell it from the other."""


class _Pairs(NamedTuple):
    """Arms (rows) that are alive together: `first` was set before `second`, and fires too."""

    first: Array
    second: Array


def find(scene: Scene) -> Iterator[Found]:
    """Yield what is armed twice. Cost: one sort of the arms, then a look at each pair that is alive together."""
    for loops in (True, False):
        yield from _told(scene, loops, _timers(scene) if loops else _delays(scene))


def _alive_together(scene: Scene, loops: bool) -> tuple[Runs, Array, Array, Array]:
    """Return the arms of one sort in order of (owner and event, line), and what is alive when each is set.

    That is: (runs over the asked arms, the arms, whether an earlier one is pending, the place of the longest pending
    one).  A delay's pending ends when it fires; what overlaps within one frame only does not count.
    """
    take = scene.take
    table, arms = take.tables["arm"], take.arms
    asked = np.flatnonzero(
        ((np.asarray(table["loop"]) == 1) == loops) & (np.asarray(table["o"]) >= 0) & (arms.event >= 0)
    )
    peers, lines = np.asarray(table["p"])[asked], np.asarray(table["line"], np.int64)[asked]
    codes, _ = factorised(peers, np.asarray(table["o"])[asked], arms.event[asked])
    runs = Runs(codes)
    start = take.frames.rows_of_lines(peers, lines).astype(np.int64)
    ended = arms.end_line[asked]
    end = np.where(ended == NEVER, len(take.frames), take.frames.rows_of_lines(peers, ended).astype(np.int64))
    start, end = start[runs.order], end[runs.order]
    # ends as one number that grows from group to group, so that one running maximum serves them all
    ahead = runs.group * (len(take.frames) + 2) + end + 1
    longest = np.maximum.accumulate(ahead)
    is_longest = np.concatenate(([True], ahead[1:] > longest[:-1])) if len(ahead) else np.zeros(0, bool)
    holder = np.maximum.accumulate(np.where(is_longest, np.arange(len(ahead)), 0))
    before = np.concatenate(([0], holder[:-1])) if len(holder) else holder
    pending = (runs.rank > 0) & (end[before] > start)
    return runs, asked, pending, before


def _timers(scene: Scene) -> _Pairs:
    """Return looping timers that are alive while another one of their owner and event is."""
    runs, asked, pending, before = _alive_together(scene, loops=True)
    places = np.flatnonzero(pending)
    return _Pairs(asked[runs.order[before[places]]], asked[runs.order[places]])


def _delays(scene: Scene) -> _Pairs:
    """Return delays of which exactly two are pending together, both landing on calls that change something."""
    runs, asked, pending, _ = _alive_together(scene, loops=False)
    cluster = np.cumsum(~pending) - 1
    sizes = np.bincount(cluster)
    places = np.flatnonzero(pending & (sizes[cluster] == 2))
    pairs = _Pairs(asked[runs.order[places - 1]], asked[runs.order[places]])
    both = _lands_with_effect(scene, pairs.first) & _lands_with_effect(scene, pairs.second)
    return _Pairs(pairs.first[both], pairs.second[both])


def _lands_with_effect(scene: Scene, arms: Array) -> Array:
    """Return a boolean array (n,): the delay fired, and a call it made changed or sent something."""
    take = scene.take
    acted = (take.calls.effect > 0) | scene.sent
    moved = np.zeros(len(take.tables["send"]) + 1, bool)
    moved[take.calls.send[acted & (take.calls.send >= 0)]] = True
    return moved[_landing(scene, arms)]


def _landing(scene: Scene, arms: Array) -> Array:
    """Return the send (row) of each arm's last firing, -1 where it never fired."""
    firings = scene.take.arms.firings
    ends = firings.starts[arms + 1]
    fired = ends > firings.starts[arms]
    return np.where(fired, np.append(firings.order, 0)[np.maximum(ends - 1, 0)], -1)


def _doubled_firings(scene: Scene, first: int, second: int, loops: bool) -> Array:
    """Return the sends of `second` that came on top of those of `first` (rows), or none."""
    take = scene.take
    sends, arms = take.tables["send"], take.arms
    of_first, of_second = arms.firings.rows(first), arms.firings.rows(second)
    if loops:
        end = min(int(arms.end_line[first]), int(arms.end_line[second]))
        begin = int(take.tables["arm"]["line"][second])
        lines = np.asarray(sends["line"])
        of_first, of_second = (
            rows[(lines[rows] > begin) & (lines[rows].astype(np.int64) <= end)] for rows in (of_first, of_second)
        )
    if not len(of_first) or not len(of_second):
        return of_second[:0]
    compared = np.concatenate((of_first[:MOST_COMPARED], of_second[:MOST_COMPARED]))
    data = json_codes(sends.json("d"), compared)
    kinds = [distinct(part) for part in np.split(data, [min(len(of_first), MOST_COMPARED)])]
    if len(kinds[0]) == len(kinds[1]) == 1 and kinds[0][0] != kinds[1][0]:
        return of_second[:0]  # the data tells the two apart
    return of_second[scene.in_play(take.sends.frame[of_second])]


def _told(scene: Scene, loops: bool, pairs: _Pairs) -> Iterator[Found]:
    if not len(pairs.first):
        return
    table, arms = scene.take.tables["arm"], scene.take.arms
    classes = scene.class_of_object[np.asarray(table["o"])[pairs.second]]
    for part in parted(np.asarray(table["p"])[pairs.second], classes, arms.event[pairs.second]):
        doubled = [
            (int(pairs.first[place]), int(pairs.second[place]), firings)
            for place in part.tolist()
            if len(firings := _doubled_firings(scene, int(pairs.first[place]), int(pairs.second[place]), loops))
        ]
        if doubled:
            yield _tell(scene, loops, doubled)


def _tell(scene: Scene, loops: bool, pairs: list[tuple[int, int, Array]]) -> Found:
    take = scene.take
    table = take.tables["arm"]
    firings = distinct(np.concatenate([pair[2] for pair in pairs]))
    owners = [take.text(int(table["o"][pair[1]])) for pair in pairs]
    first, second, _ = pairs[0]
    calls = scene.calls_of_sends(firings)
    event = take.text(int(take.arms.event[second]))
    what, word = (tr("looping timers"), tr("timer")) if loops else (tr("delays"), tr("delay"))
    effect = tr("so it comes at a higher rate than meant") if loops else tr("so the effect comes twice")
    places = [place for arm in (first, second) if (place := take.text(int(table["at"][arm])))]
    if not places:
        causes = [int(take.arms.cause[arm]) for arm in (first, second)]
        places = [take.function_of_call(cause) for cause in causes if cause >= 0]
    evidence = scene.evidence("arm", [first, second], tr("alive together"))
    evidence += scene.evidence("send", firings[:4].tolist(), tr("fired on top of the other"))
    return Found(
        subject=Subject(
            ev=event,
            o=owners[0] if len(set(owners)) == 1 else "",
            cls=take.class_of(int(table["o"][second])),
            fn=take.text(int(scene.function[calls[0]])) if len(calls) else "",
            peer=scene.peer_name(int(table["p"][second])),
            at=take.text(int(table["at"][second])),
        ),
        frame_rows=take.sends.frame[firings],
        count=len(firings),
        cost_ns=scene.cost_of(calls),
        summary=tr(
            "Two {what} for `{event}` of {owners} are alive together, {effect}: {firings} too many.",
            what=what,
            event=event,
            owners=listed(owners),
            effect=effect,
            firings=counted(len(firings), "firing"),
        ),
        advice=tr("Clear the first {word} before setting it again, or do not set it again", word=word)
        + (tr("; it is set in {places}.", places=listed(places)) if places else "."),
        evidence=tuple(evidence),
        calls=calls,
        told_apart=("timer" if loops else "delay",),  # of the id, which is the same in every language
    )


ARMED_TWICE = Cause(
    "armed-twice",
    "armed twice",
    Severity.FAULT,
    find,
    springs_from=(*FROM_STALE_CALLS, *FROM_PILED_DELAYS),
    about="Two looping timers of one owner and event are alive together and both fire; or exactly two delays are pending together and both land on calls that change something.",
    quiet="overlap within one frame; data that tell the two apart; three and more delays (`delay-restacked`).",
)
