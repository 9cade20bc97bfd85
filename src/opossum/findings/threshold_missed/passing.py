"""What the causes share: which events come at which time of the game's day, when it was passed, and what came then."""

from __future__ import annotations

from collections.abc import Iterator
from math import exp, lgamma, log, log1p
from typing import NamedTuple

import numpy as np

from opossum.findings.finding import Found, Subject
from opossum.findings.frame_times import frame_times
from opossum.findings.scene import Scene
from opossum.findings.settings import Threshold
from opossum.findings.wording import listed, with_place
from opossum.stream.tables import Array
from opossum.take.grouping import distinct, parted
from opossum.take.indexes.clocks import DAY, Clock
from opossum.words import tr

LEARNT_FIRINGS = Threshold("learnt_firings", 3, "firings", "twice at one time of day may be chance")
CLOCK_STEPS = Threshold("clock_steps", 2.0, "steps of the clock", "a check in every frame comes one step late at most")

LEARNT_SHARE = 0.6
"""An event belongs to a time of day only if it came at most of its passings."""

BY_CHANCE = 0.01
"""Firings that would fall together so closely by chance this often, at one time of any, belong to none."""

FARTHEST_ASTRAY = 0.25
"""What comes later than this share of a day, hour or quarter after its time did not come for it."""
MOST_ASTRAY = 0.1
"""An event of which more came so follows no time of day."""

PERIODS = (("day", DAY), ("hour", 3600.0), ("quarter", 900.0))
MOST_PASSINGS = 10_000
NIGHT_GAP = 7200.0
"""In-game seconds: `clock` records farther apart around midnight say nothing of what the game saw there."""

EARLY_FRAMES = 2
"""What the game reckons and what its clock's samples say may lie so far apart."""

RUN, JUMP, MIDNIGHT, TOO_NEW = 0, 1, 2, 3


class Passing(NamedTuple):
    """One event's moments, one row for each time the clock passed one: `time_ns` (as the game is told), `how` (`RUN`, `JUMP`,
    `MIDNIGHT`, or `TOO_NEW` for what comes right at the take's end), the `sends` (rows) that came for it, ascending, `row` of the `clock` record that passed it (-1: none did).
    """

    peer: int
    event: int
    due: float
    period: str
    time_ns: Array
    how: Array
    row: Array
    sends: list[Array]
    step: float
    rate: float


def passings(scene: Scene) -> list[Passing]:
    """Return every event that belongs to times of day, with its passings. Linear in sends, passings and `clock` records."""
    take = scene.take
    found = []
    for peer, clock in enumerate(take.clocks):
        if clock is not None:
            found += list(_of_peer(scene, peer, clock))
    return found


def _of_peer(scene: Scene, peer: int, clock: Clock) -> Iterator[Passing]:
    take = scene.take
    sends = take.tables["send"]
    away = [take.code(name) for name in ("timer", "delay", "input", "zone", "clip")]
    told = np.isfinite(np.asarray(sends["due"], np.float64))
    mine = (np.asarray(sends["p"]) == peer) & scene.in_play(take.sends.frame)
    # what springs from a timer, a key or a clip comes by that, though it may look like the clock
    root = np.append(scene.top, np.int32(-1))[take.sends.cause]
    via = np.append(scene.via, np.int32(-1))[root]
    by_clock = ~np.isin(np.asarray(sends["via"]), [*away, take.code("tick")]) & ~np.isin(via, away)
    rows = np.flatnonzero(mine & (told | by_clock))
    if not len(rows):
        return
    step = _step_of(scene, peer, clock)
    at = clock.at(scene.once(frame_times).told_of("send", rows))
    for part in parted(np.asarray(sends["ev"])[rows]):
        events = rows[part]
        due = np.asarray(sends["due"], np.float64)[events]
        if np.isfinite(due).any():
            yield from _told(scene, peer, clock, events[np.isfinite(due)], due[np.isfinite(due)], step)
        elif len(events) >= scene[LEARNT_FIRINGS]:
            learnt = _learnt(scene, peer, clock, events, at[part], step)
            if learnt is not None:
                yield learnt


def _told(scene: Scene, peer: int, clock: Clock, sends: Array, due: Array, step: float) -> Iterator[Passing]:
    """Yield the passings of the times that sends tell they stand for: of every hour or quarter where they come so, else each."""
    moments = np.unique(np.remainder(due, DAY))
    for name, period in PERIODS[1:]:
        places = np.remainder(moments, period)
        if len(moments) >= scene[LEARNT_FIRINGS] and np.ptp(places) < 0.5:
            found = _joined(scene, peer, clock, sends, float(places[0]), name, period, step)
            if _mostly_come(scene, found):
                yield found
                return
    for moment in moments.tolist():
        asked = sends[np.remainder(due, DAY) == moment]
        yield _joined(scene, peer, clock, asked, moment, "day", DAY, step)


def _mostly_come(scene: Scene, passing: Passing) -> bool:
    came = sum(len(rows) > 0 for rows in passing.sends)
    return came >= scene[LEARNT_FIRINGS] and came >= LEARNT_SHARE * int((passing.how != TOO_NEW).sum())


def _step_of(scene: Scene, peer: int, clock: Clock) -> float:
    """Return how far the clock usually moves at once, in in-game seconds: in a frame, or from record to record."""
    frame = scene.once(frame_times).usual_ns[peer] / 1e9
    rate = float(np.median(clock.rate)) * frame
    jumps = clock.jump[clock.jump > 0]
    return max(rate, float(np.median(jumps))) if len(jumps) >= 5 and rate <= 0 else rate


def _learnt(scene: Scene, peer: int, clock: Clock, sends: Array, at: Array, step: float) -> Passing | None:
    """Return the passings of the time of day, hour or quarter at which an event came at most of the times, or None."""
    width = max(scene[CLOCK_STEPS] * step, 1e-6)
    sent_ns = scene.once(frame_times).told_of("send", sends)
    near_ns = float(EARLY_FRAMES * scene.once(frame_times).usual_ns[peer])
    for name, period in PERIODS:
        place = np.sort(np.remainder(at, period))
        turned = np.concatenate((place, place + period))
        inside = np.searchsorted(turned, turned[: len(place)] + width, "right") - np.arange(len(place))
        best = int(np.argmax(inside))
        if inside[best] < scene[LEARNT_FIRINGS] or inside[best] < LEARNT_SHARE * len(place):
            continue
        if _chance(len(place), int(inside[best]), width / period) > BY_CHANCE:
            continue
        if _by_time(clock, sent_ns, period, width, near_ns):
            continue
        # what a jump of the clock brings comes at any time of day
        set_here = _set_within(clock, sent_ns, near_ns)
        beside = np.remainder(at[~set_here] - turned[best] + width, period) - width
        if (beside > FARTHEST_ASTRAY * period).sum() > MOST_ASTRAY * len(place):
            continue
        moment = float(_round_time(turned[best], width, period))
        found = _joined(scene, peer, clock, sends, moment, name, period, step)
        if _mostly_come(scene, found):
            return found
    return None


def _chance(firings: int, together: int, share: float) -> float:
    """Return how many windows of a share of the period are expected to hold so many of the firings by chance.

    Each firing opens one, and the others fall into it by the binomial distribution.
    """
    others, needed = firings - 1, together - 1
    if share >= 1.0:
        return float(firings)
    log_ways = lgamma(others + 1) - lgamma(needed + 1) - lgamma(others - needed + 1)
    return firings * exp(log_ways + needed * log(share) + (others - needed) * log1p(-share))


def _set_within(clock: Clock, sent_ns: Array, within_ns: float) -> Array:
    """Return a boolean array (n,): the clock was set just before that time."""
    sets = clock.begin_ns[clock.jump != 0.0]
    last = np.concatenate(([-np.inf], sets.astype(np.float64)))[np.searchsorted(sets, sent_ns, "right")]
    return sent_ns - last <= within_ns


def _by_time(clock: Clock, sent_ns: Array, period: float, width: float, near_ns: float) -> bool:
    """Say whether firings keep their interval where the clock was set between them: they follow the time that runs.

    Set by whole periods, it shows the same time of day, hour or quarter, and that tells nothing.
    """
    spans = np.diff(sent_ns)
    moved = np.remainder(clock.jump + period / 2, period) - period / 2
    sets = clock.begin_ns[np.abs(moved) > width]
    across = np.searchsorted(sets, sent_ns[1:], "right") > np.searchsorted(sets, sent_ns[:-1], "right")
    if not across.any() or across.all():
        return False
    return bool((np.abs(spans[across] - np.median(spans[~across])) <= near_ns).any())


def _round_time(earliest: float, width: float, period: float) -> float:
    """Return the roundest time that explains the earliest firing: games count in hours and minutes."""
    for unit in (3600.0, 900.0, 60.0):
        rounded = np.round(earliest / unit) * unit
        if unit <= period and abs(earliest - rounded) <= width:
            return float(np.remainder(rounded, period))
    return float(np.remainder(earliest, period))


def _joined(
    scene: Scene, peer: int, clock: Clock, sends: Array, moment: float, name: str, period: float, step: float
) -> Passing:
    """Join the passings of a moment with the sends that came for them: each with the last passing before it."""
    take = scene.take
    table = take.tables["send"]
    time_ns, how, row = _passed(scene, peer, clock, moment, period)
    early = EARLY_FRAMES * scene.once(frame_times).usual_ns[peer]
    sent_ns = scene.once(frame_times).told_of("send", sends)
    place = np.searchsorted(time_ns, sent_ns + early, "right") - 1
    order = np.argsort(place, kind="stable")
    # before the first bound stands what came before any passing, behind the last nothing
    came = np.split(sends[order], np.searchsorted(place[order], np.arange(len(time_ns) + 1)))[1:-1]
    event = int(table["ev"][sends[0]])
    rate = float(np.median(clock.rate))
    return Passing(peer, event, moment, name, time_ns, how, row, came, step, rate)


def _passed(scene: Scene, peer: int, clock: Clock, moment: float, period: float) -> tuple[Array, Array, Array]:
    """Return (time told, how, row of the `clock` record or -1) of each time the clock passed a moment of its period."""
    take = scene.take
    last = np.array([take.peers[peer].last_t])
    end_ns = int(take.told_time.at(np.array([peer]), take.holds.game_times(np.array([peer]), last))[0])
    frame_ns = scene.once(frame_times).usual_ns[peer]
    begin = clock.begin_ns.astype(np.float64)
    # a little beyond the take's end, for what came a little early
    until = np.append(begin[1:], end_ns + 2 * EARLY_FRAMES * frame_ns)
    reached = clock.running + (until - begin) / 1e9 * clock.rate
    stepping = len(clock.jump[clock.jump > 0]) >= 5 and float(np.median(clock.rate)) <= 0
    usual_jump = float(np.median(clock.jump[clock.jump > 0])) if stepping else 0.0
    times: list[tuple[float, int, int]] = []

    def ran_past(piece: int, at: float) -> int:
        return MIDNIGHT if _near_midnight(clock, piece, at, frame_ns) else RUN

    high = clock.running[0]
    for piece in range(len(begin)):
        if piece:
            jumped = clock.jump[piece] != 0.0
            skipped = _moments(high, clock.running[piece], moment, period)
            if jumped:
                regular = stepping and clock.jump[piece] <= 3 * usual_jump
                over = np.floor(high / DAY) != np.floor(clock.running[piece] / DAY)
                how = (MIDNIGHT if over else RUN) if regular else JUMP
                times += [(begin[piece], how, int(clock.row[piece]))] * len(skipped)
            else:  # a sample a little ahead of what the one before said
                times += [(begin[piece], ran_past(piece, at), -1) for at in skipped.tolist()]
            # a clock set back passes its moments again; a sample a little behind does not
            high = clock.running[piece] if jumped else max(high, clock.running[piece])
        for at in _moments(high, reached[piece], moment, period):
            when = begin[piece] + (at - clock.running[piece]) / clock.rate[piece] * 1e9
            times.append((when, ran_past(piece, at), -1))
        high = max(high, reached[piece])
        if len(times) > MOST_PASSINGS:
            break
    # what was passed in the last frames of a take had no time to come
    times = [(when, how if when <= end_ns - 3 * frame_ns else TOO_NEW, row) for when, how, row in times]
    return (
        np.array([item[0] for item in times], np.float64),
        np.array([item[1] for item in times], np.int64),
        np.array([item[2] for item in times], np.int64),
    )


def _moments(low: float, high: float, moment: float, period: float) -> Array:
    """Return the moments of a period in (low, high], as running seconds."""
    if not high > low:
        return np.zeros(0)
    first, last = np.floor((low - moment) / period) + 1, np.floor((high - moment) / period)
    return moment + period * np.arange(first, min(last, first + MOST_PASSINGS) + 1)


def _near_midnight(clock: Clock, piece: int, at: float, frame_ns: float) -> bool:
    """Say whether a moment lies in the step over midnight: of two frames, or between the records around it."""
    night = round(at / DAY) * DAY
    if abs(at - night) <= 2 * clock.rate[piece] * frame_ns / 1e9:
        return True
    before, after = clock.running[piece], clock.running[min(piece + 1, len(clock.running) - 1)]
    return bool(before < night <= after and after - before <= NIGHT_GAP and before < at <= after)


def time_of_day(seconds: float) -> str:
    """Return seconds of day as ``18:00`` or ``18:00:20``."""
    whole = round(seconds) % int(DAY)
    text = f"{whole // 3600:02d}:{whole // 60 % 60:02d}"
    return f"{text}:{whole % 60:02d}" if whole % 60 else text


def by_event(scene: Scene) -> Iterator[list[Passing]]:
    """Yield the passings of each peer's events: those of one event together, whatever times it is due."""
    groups: dict[tuple[int, int], list[Passing]] = {}
    for passing in scene.once(passings):
        groups.setdefault((passing.peer, passing.event), []).append(passing)
    yield from groups.values()


def moment_of(passing: Passing) -> str:
    """Return when an event is due, in words."""
    if passing.period == "day":
        return tr("at {time_of_day}", time_of_day=time_of_day(passing.due))
    return tr("every {period}", period=passing.period) + (
        tr(", {due:.0f} s past it", due=passing.due) if passing.due >= 1 else ""
    )


def frame_after(scene: Scene, passing: Passing, places: Array) -> Array:
    """Return the frames (rows) in which the clock was past its moments."""
    times = scene.once(frame_times)
    moments = passing.time_ns[places].astype(np.int64)
    frames = times.due_told(np.full(len(places), passing.peer), moments)
    jumped = passing.row[places] >= 0
    if jumped.any():
        table = scene.take.tables["clock"]
        rows = passing.row[places[jumped]]
        frames[jumped] = scene.take.frames.rows_of_lines(np.asarray(table["p"])[rows], np.asarray(table["line"])[rows])
    return np.minimum(frames, len(scene.take.frames) - 1)


def tell(
    scene: Scene, missed: list[Passing], frames: Array, sends: Array, summary: str, advice: str, clock: Array
) -> Found:
    """Return a finding about one event's moments; the texts name {event} and {when}."""
    take, passing = scene.take, missed[0]
    words = {"event": take.text(passing.event), "when": listed([moment_of(one) for one in missed])}
    evidence = scene.evidence("clock", distinct(clock[clock >= 0])[:4].tolist(), tr("the clock was set here"))
    evidence += scene.evidence("send", sends[:6].tolist(), tr("it came here"))
    return Found(
        subject=Subject(ev=words["event"], peer=scene.peer_name(passing.peer)),
        frame_rows=frames,
        count=len(frames),
        summary=summary.format(**words),
        advice=with_place(advice.format(**words), scene.place_of_sends(sends)),
        evidence=tuple(evidence),
        calls=scene.calls_of_sends(np.sort(sends)),
    )
