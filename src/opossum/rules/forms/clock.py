"""`at … on the game clock, …` and `every … on the game clock, …`."""

from __future__ import annotations

import numpy as np

from opossum.rules.checked import Occasions, occasions
from opossum.rules.ground import Ground
from opossum.rules.moments import moments_of
from opossum.rules.sentence import Form, Moment, Span
from opossum.rules.series import Series
from opossum.stream.tables import Array
from opossum.take.indexes.clocks import DAY, Clock
from opossum.words import tr

MOST_DUE = 100_000
"""Times of day that are looked at in one take."""


def at_clock(ground: Ground, form: Form) -> Occasions:
    """Judge every time the game's clock passes a time of day."""
    written, moment, span = form.children
    parts = [int(part) for part in str(written).split(":")]
    seconds = sum(part * size for part, size in zip(parts, (3600, 60, 1), strict=False))
    return _judged(ground, moment, span, float(seconds), DAY)


def every_clock(ground: Ground, form: Form) -> Occasions:
    """Judge every time the game's clock passes a multiple of a stretch."""
    step, moment, span = form.children
    return _judged(ground, moment, span, 0.0, max(step.value / 1e9, 1.0))


def _judged(ground: Ground, moment: Moment, span: Span | None, begin: float, step: float) -> Occasions:
    found = moments_of(ground, moment)
    span = span or Span(1, True)
    parts: list[tuple[Array, Array, Array, Array]] = []
    frames = ground.take.frames
    for peer, clock in enumerate(ground.take.clocks):
        if clock is None or peer >= len(ground.take.peers):
            continue
        due = _due(clock, float(ground.end_ns[peer]), begin, step)
        rows = frames.of_peer(peer)
        starts = ground.told(np.full(rows.stop - rows.start, peer), frames.start_ns[rows])
        if not len(starts):
            continue
        frame = rows.start + np.maximum(np.searchsorted(starts, due, "right") - 1, 0)
        mine = found.only(found.peers == peer)
        scale = mine.frames if span.frames else mine.ns
        at = frame if span.frames else due
        series = Series(np.zeros(len(mine), np.int64), mine.lines, scale)
        zeros = np.zeros(len(due), np.int64)
        # a game sets its clock on at a frame's beginning, by the whole of it: what is due within comes at once
        early = 1 if span.frames else int(1.5 * np.median(np.diff(starts))) if len(starts) > 1 else 0
        came = series.until(zeros, at + int(span.value)) - series.before(zeros, at - early)
        # what is due so late that the take ends within the span may still come
        end = rows.stop - 1 if span.frames else float(ground.end_ns[peer])
        judged = (at + span.value <= end) | (came > 0)
        parts.append((due[judged], frame[judged], came[judged] > 0, np.full(int(judged.sum()), peer)))
    if not parts:
        nothing = np.zeros(0, np.int64)
        return occasions(nothing, nothing, nothing.astype(bool), lambda place: "")
    _, rows_of, held, peers = (np.concatenate(column) for column in zip(*parts, strict=True))
    return occasions(
        np.asarray(frames.line, np.int64)[rows_of],
        rows_of,
        held,
        lambda place: tr("no {moment} within {span}", moment=moment.text, span=span),
        peers,
    )


def _due(clock: Clock, end_ns: float, begin: float, step: float) -> Array:
    """Return int64 (n,): when (told ns) the clock passes begin, begin + step, … of the day, in each stretch it runs on."""
    due: list[Array] = []
    for piece in range(len(clock.begin_ns)):
        rate = float(clock.rate[piece])
        if rate <= 0:
            continue
        start = float(clock.begin_ns[piece])
        stop = float(clock.begin_ns[piece + 1]) if piece + 1 < len(clock.begin_ns) else end_ns
        shown = float(clock.shown[piece])
        passes = (stop - start) / 1e9 * rate
        first = np.ceil((shown - begin) / step)
        many = min(MOST_DUE, max(0, int((shown + passes - begin) / step - first) + 1))
        moments = begin + (first + np.arange(many)) * step - shown
        # a clock that is set to the very time has passed it
        moments = moments[(moments > 0) & (moments <= passes)]
        due.append(start + moments / rate * 1e9)
    return np.concatenate(due).astype(np.int64) if due else np.zeros(0, np.int64)
