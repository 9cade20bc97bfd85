"""Intervals, delays between what is set and what comes of it, and how long things take."""

from __future__ import annotations

from collections.abc import Iterator
from math import ceil, log10

import numpy as np

from opossum.learning.candidate import Candidate, seconds
from opossum.rules.writing import written
from opossum.stream.tables import Array
from opossum.take.grouping import distinct, factorised
from opossum.take.sieve import frame_budget_ns
from opossum.take.take import Take

WITHIN_FRAMES = 3
"""A delay is a fixed one if it never varies by more frames."""

MARK_FRAMES = 2
"""A mark may come so many frames beside where it was seen to come: its place in the clip is fixed."""

FIRINGS = 10
"""So many firings of a timer together show what each alone hides in the length of a frame."""

CALL_TIMES, WORK_TIMES = 10, 3
"""A call may take so many times what was seen, a frame's work so many: less is what machines do."""

FEWEST = 10
"""Occasions over all takes; one take may suggest with fewer."""

FEWEST_IN_A_TAKE = 3


def candidates(take: Take) -> Iterator[Candidate]:
    """Yield fixed intervals of timers and clock, fixed delays from a cause, and limits of time."""
    yield from _intervals(take)
    yield from _clocked(take)
    yield from _delays(take)
    yield from _marks(take)
    yield from _limits(take)


def _told(take: Take, kind: str, rows: Array) -> Array:
    table = take.tables[kind]
    peers = np.asarray(table["p"])[rows]
    return take.told_time.at(peers, take.holds.game_times(peers, np.asarray(table["t"], np.int64)[rows]))


def _frame_ns(take: Take) -> float:
    return max((frame_budget_ns(take, peer) for peer in range(len(take.peers))), default=1e9 / 60)


def _about(ns: float, frame_ns: float) -> str:
    """Return a time in seconds, to a hundredth of a frame: what is beyond is the clock's, not the game's."""
    return f"{round(ns / 1e9, max(0, ceil(-log10(max(frame_ns, 1.0) / 1e11)))):.9g}"


def _intervals(take: Take) -> Iterator[Candidate]:
    """Yield the interval of each looping timer that keeps one."""
    table, arms = take.tables["arm"], take.arms
    loops = np.flatnonzero((np.asarray(table["loop"]) == 1) & (arms.event >= 0))
    frame_ns = _frame_ns(take)
    for code in distinct(arms.event[loops]).tolist():
        mine = loops[arms.event[loops] == code]
        gaps = [np.diff(_told(take, "send", arms.firings.rows(int(arm)))) for arm in mine.tolist()]
        every = np.concatenate(gaps)
        if len(every) < FEWEST_IN_A_TAKE or np.ptp(every) > 2 * frame_ns:
            continue
        middle = float(np.median(every))
        planned = np.asarray(table["sec"], np.float64)[mine]
        if np.isfinite(planned).all() and np.ptp(planned) == 0 and abs(planned[0] * 1e9 - middle) < 1.5 * frame_ns:
            middle = float(planned[0]) * 1e9  # what was meant says more than what came
        before, after = f"every firing of {written(take.text(code))} comes", "after the last with the same owner"
        yield Candidate(
            f"{before} {_about(middle, frame_ns)} s give or take 1 frame {after}",
            "Intervals",
            FEWEST,
            "fault",
            limit_of=f"{before} {after}",  # of as many takes: each has its own median
        )
        yield from _rates(take, code, mine, middle)


def _clocked(take: Take) -> Iterator[Candidate]:
    """Yield the interval of what the game's clock sends, in seconds as the game was told of them."""
    table = take.tables["send"]
    clocked = np.asarray(table["via"]) == take.code("clock")
    event = np.asarray(table["ev"], np.int64)
    for code in distinct(event[clocked & (event >= 0)]).tolist():
        gaps = np.diff(_told(take, "send", np.flatnonzero(clocked & (event == code))))
        if len(gaps) >= FEWEST_IN_A_TAKE and np.ptp(gaps) <= 2 * _frame_ns(take):
            before = f"every send of {written(take.text(code))} comes"
            yield Candidate(
                f"{before} {_about(float(np.median(gaps)), _frame_ns(take))} s give or take 2 frames after the last",
                "Intervals",
                FEWEST,
                "fault",
                limit_of=before,
            )


def _marks(take: Take) -> Iterator[Candidate]:
    """Yield when the first mark of each name came in every play of a clip, and how many of it came."""
    marks, plays = take.marks, take.tables["play"]
    rows = np.flatnonzero((marks.round == 0) & (marks.send >= 0))
    if not len(rows):
        return
    slack = MARK_FRAMES * _frame_ns(take)
    length = np.asarray(plays["len"], np.float64)
    # of several marks of one name in a play the first tells when, all of them how many
    of_play, first = factorised(marks.play[rows], marks.name[rows])
    times = np.bincount(of_play)
    rows = rows[first]
    clip = np.asarray(plays["clip"], np.int64)[marks.play[rows]]
    groups, one = factorised(clip, marks.name[rows])
    passed = _told(take, "send", marks.send[rows]) - _told(take, "play", marks.play[rows])
    for group in range(len(one)):
        mine = groups == group
        if mine.sum() < FEWEST_IN_A_TAKE or np.ptp(passed[mine]) > slack:
            continue
        name = written(take.text(int(clip[one[group]])))
        mark = written(marks.text_of(int(marks.name[rows][one[group]])))
        before, early = f"every play of {name} is followed by", float(passed[mine].min()) - slack
        late = float(passed[mine].max()) + slack
        sentence = f"{before} mark {mark} within {late / 1e6:.0f} ms"
        yield Candidate(sentence, "Clips", FEWEST, limit_of=f"{before} mark {mark}", limit=late)
        if early > 2 * slack:
            sentence = f"{before} exactly 0 mark {mark} within {early / 1e6:.0f} ms"
            # of several the earliest is kept: the widest of what is allowed
            yield Candidate(sentence, "Clips", FEWEST, limit_of=f"{before} exactly 0 mark {mark}", limit=-early)
        # what the take's end cuts off is no measure of how many
        whole = mine & (marks.reached[marks.play[rows]] >= length[marks.play[rows]] - slack / 1e9)
        several = times[whole]
        if len(several) >= FEWEST_IN_A_TAKE and several.min() == several.max() > 1:
            span = float(length[marks.play[rows[whole]]].max()) * 1e9
            sentence = f"{before} exactly {int(several[0])} mark {mark} within {span / 1e6:.0f} ms"
            yield Candidate(sentence, "Clips", FEWEST, "fault")


def _rates(take: Take, code: int, arms: Array, every_ns: float) -> Iterator[Candidate]:
    """Yield how long a timer takes for many firings, where it ran on so long: what a frame hides of one, shows in ten."""
    sizes = take.arms.firings.sizes()[arms]
    if len(arms) and int(sizes.max(initial=0)) > FIRINGS:
        name = written(take.text(code))
        span = FIRINGS * every_ns + 1.5 * _frame_ns(take)
        sentence = f"every firing of {name} is followed by exactly {FIRINGS} firing of {name} within {span / 1e6:.0f} ms with the same owner"
        yield Candidate(sentence, "Intervals", FEWEST, "fault", limit_of=f"{FIRINGS} firing of {name}")


def _delays(take: Take) -> Iterator[Candidate]:
    """Yield what comes of a send by a timer, delay or clip it set, always after the same time."""
    table, calls = take.tables["send"], take.calls
    arm = take.arm_ids.rows(table["p"], table["a"])
    play = take.play_ids.rows(table["p"], table["y"])
    set_by = np.append(np.asarray(take.arms.cause, np.int64), -1)[arm]
    starter = np.append(np.asarray(take.plays.cause, np.int64), -1)[play]
    cause = np.where(set_by >= 0, set_by, starter)
    rows = np.flatnonzero(cause >= 0)
    if not len(rows):
        return
    event = np.asarray(calls.event, np.int64)[cause[rows]]
    then = np.asarray(table["ev"], np.int64)[rows]
    # only the first that comes of each: the rest are its interval
    _, first = factorised(cause[rows], then)
    rows, event, then = rows[first], event[first], then[first]
    passed = _told(take, "send", rows) - _told(take, "call", cause[rows])
    groups, one = factorised(event, then)
    frame_ns = _frame_ns(take)
    for group in range(len(one)):
        mine = passed[groups == group]
        if len(mine) < FEWEST_IN_A_TAKE or event[one[group]] < 0 or np.ptp(mine) > WITHIN_FRAMES * frame_ns:
            continue
        limit = float(mine.max()) + max(WITHIN_FRAMES * frame_ns, 0.05 * float(mine.max()))
        before = (
            f"every send of {written(take.text(int(event[one[group]])))} is followed by send of "
            f"{written(take.text(int(then[one[group]])))} within "
        )
        yield Candidate(f"{before}{seconds(limit)}", "What follows", FEWEST, limit_of=before, limit=limit)


def _limits(take: Take) -> Iterator[Candidate]:
    """Yield how long a call and a frame's work may take: far beyond what was seen, so that a slow machine breaks none."""
    calls, frames = take.calls, take.frames
    frame_ns = _frame_ns(take)
    settled = frames.settled
    if settled.any():
        worst = float(frames.work_ns[settled].max())
        yield _limit("in each frame, work", max(WORK_TIMES * worst, 2 * frame_ns))
    if len(calls):
        worst = float(calls.duration_ns[calls.returned].max(initial=0))
        yield _limit("every call", max(CALL_TIMES * worst, frame_ns))


def _limit(what: str, limit: float) -> Candidate:
    sentence = f"{what} takes at most {seconds(limit)} except during loading"
    return Candidate(sentence, "Time", FEWEST, "fault", limit_of=what, limit=limit)
