"""`in each frame, …`, `in each second, …`, `in the take, …`: order, counts and cost within a stretch of time."""

from __future__ import annotations

import numpy as np

from opossum.findings.wording import milliseconds
from opossum.rules.checked import Occasions, occasions
from opossum.rules.forms.single import durations
from opossum.rules.ground import Ground
from opossum.rules.moments import moments_of
from opossum.rules.occurrences import Occurrences
from opossum.rules.sentence import Form, Moment
from opossum.stream.tables import Array
from opossum.take.grouping import factorised
from opossum.take.indexes.frames import STARTUP
from opossum.words import tr


def within(ground: Ground, form: Form) -> Occasions:
    """Judge each period by what the rest of the sentence says."""
    period, what = form.children
    return {"order": _order, "many": _many, "worktime": _work_time, "cost": _cost}[str(what.data)](ground, period, what)


def _period(period: Form) -> str:
    """Return `frame`, `loading`, `second` or `take`."""
    if period.data == "each":
        return "second" if str(period.children[0]) == "second" else "frame"
    return "loading" if period.data == "loading" else "take"


def _order(ground: Ground, period: Form, what: Form) -> Occasions:
    """Judge each frame that holds both: the last of the first came before the first of the second."""
    earlier, later, same = what.children
    first, second = moments_of(ground, earlier), moments_of(ground, later)
    keys, later_keys = ground.shared(same, first, second)
    stretches = _stretches(ground, period, first), _stretches(ground, period, second)
    codes = (
        factorised(np.concatenate((keys, later_keys)), np.concatenate(stretches))[0]
        if len(first) + len(second)
        else np.zeros(0, np.int64)
    )
    one, other = codes[: len(first)], codes[len(first) :]
    groups = int(codes.max(initial=-1)) + 1
    last_of_first, first_of_second = np.full(groups, -1, np.int64), np.full(groups, np.iinfo(np.int64).max, np.int64)
    at = np.full(groups, -1, np.int64)
    np.maximum.at(last_of_first, one, first.lines)
    np.minimum.at(first_of_second, other, second.lines)
    # of several rows of one group the first counts
    at[other[::-1]] = np.arange(len(second) - 1, -1, -1)
    both = np.flatnonzero((last_of_first >= 0) & (at >= 0))
    both = both[np.argsort(first_of_second[both], kind="stable")]
    held = last_of_first[both] < first_of_second[both]
    rows = at[both]
    return occasions(
        first_of_second[both],
        second.frames[rows],
        held,
        lambda place: tr(
            "{later} came before {earlier} (line {last_of_first:,})",
            later=later.text,
            earlier=earlier.text,
            last_of_first=last_of_first[both[place]],
        ),
        second.peers[rows],
    )


def _stretches(ground: Ground, period: Form, found: Occurrences) -> Array:
    """Return a number for the period each falls in."""
    match _period(period):
        case "second":
            return found.ns // 1_000_000_000
        case "take":
            return np.zeros(len(found), np.int64)
        case _:
            return found.frames


def _many(ground: Ground, period: Form, what: Form) -> Occasions:
    """Judge each period by how often something comes in it; those without any count too."""
    count, moment = what.children
    where = _period(period)
    times, lines, frames, peers = ground.kept(("times", where, moment), lambda: _times(ground, where, moment))
    held = np.array([count.holds(number) for number in range(int(times.max(initial=0)) + 1)])[times]
    return occasions(lines, frames, held, lambda place: f"{times[place]:,} × {moment.text}", peers)


def _times(ground: Ground, where: str, moment: Moment) -> tuple[Array, Array, Array, Array]:
    """Return (how often something comes, line, frame row, peer) of every period, also of those without any."""
    found = moments_of(ground, moment)
    match where:
        case "take":
            times = np.array([len(found)])
            line = found.lines[-1:] if len(found) else np.zeros(1, np.int64)
            frame = found.frames[-1:] if len(found) else np.full(1, -1, np.int64)
            # where nothing was recorded at all there was no occasion
            any_ = slice(None) if len(ground.take.frames) else slice(0)
            return times[any_], line[any_], frame[any_], np.full(1, -1)[any_]
        case "second":
            peers, seconds, lines, frames = _seconds(ground)
            number = {pair: place for place, pair in enumerate(zip(peers.tolist(), seconds.tolist(), strict=True))}
            places = [
                number.get(pair, -1)
                for pair in zip(found.peers.tolist(), (found.ns // 1_000_000_000).tolist(), strict=True)
            ]
            known = np.array([place for place in places if place >= 0], np.int64)
            last = np.full(len(peers), -1, np.int64)
            last[known] = found.lines[np.array(places, np.int64) >= 0]
            return np.bincount(known, minlength=len(peers)), np.where(last >= 0, last, lines), frames, peers
        case _:
            rows = _frame_rows(ground, where)
            times = np.bincount(found.frames[found.frames >= 0], minlength=len(ground.take.frames))[rows]
            return times, np.asarray(ground.take.frames.line, np.int64)[rows], rows, ground.frame_peer[rows]


def _seconds(ground: Ground) -> tuple[Array, Array, Array, Array]:
    """Return (peer, second told, line, frame row) of every second of every peer, by its first frame."""
    frames = ground.take.frames
    second = ground.told(ground.frame_peer, frames.start_ns) // 1_000_000_000
    peers = ground.frame_peer
    if not len(peers):
        nothing = np.zeros(0, np.int64)
        return nothing, nothing, nothing, nothing
    first = np.flatnonzero((np.diff(second, prepend=-1) != 0) | (np.diff(peers, prepend=-1) != 0))
    return peers[first], second[first], np.asarray(frames.line, np.int64)[first], first


def _frame_rows(ground: Ground, where: str) -> Array:
    frames = ground.take.frames
    if where == "loading":
        return np.flatnonzero(frames.loading)
    return np.flatnonzero(frames.number != STARTUP)


def _work_time(ground: Ground, period: Form, what: Form) -> Occasions:
    """Judge each frame by how long its work took."""
    (limit,) = what.children
    frames = ground.take.frames
    rows = _frame_rows(ground, _period(period))
    work = np.asarray(frames.work_ns, np.int64)[rows]
    return occasions(
        np.asarray(frames.line, np.int64)[rows],
        rows,
        work <= limit.value,
        lambda place: tr("work took {length}", length=milliseconds(float(work[place]))),
        ground.frame_peer[rows],
    )


def _cost(ground: Ground, period: Form, what: Form) -> Occasions:
    """Judge each frame that holds any by how long they took together."""
    moment, limit = what.children
    found = moments_of(ground, moment)
    took = durations(ground, found, alone=False)
    stretch = _stretches(ground, period, found)
    codes, first = factorised(found.peers, stretch) if len(found) else (np.zeros(0, np.int32), np.zeros(0, np.int32))
    sums = np.bincount(codes, weights=took) if len(found) else np.zeros(0)
    order = np.argsort(found.lines[first], kind="stable")
    sums, first = sums[order], first[order]
    return occasions(
        found.lines[first],
        found.frames[first],
        sums <= limit.value,
        lambda place: tr("together {length}", length=milliseconds(float(sums[place]))),
        found.peers[first],
    )
