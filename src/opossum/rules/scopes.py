"""`while …`, `from … on`, `until …`, `except …`: which occasions of a rule count."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np

from opossum.rules.checked import Occasions
from opossum.rules.forms.single import end_lines
from opossum.rules.forms.values import changes_of
from opossum.rules.ground import Ground
from opossum.rules.moments import moments_of
from opossum.rules.sentence import Form, Moment, Span
from opossum.rules.series import Series
from opossum.stream.tables import Array
from opossum.take.indexes.objects import ALIVE, NEVER
from opossum.take.spans import LineSpans


def counted(ground: Ground, found: Occasions, scopes: list[Form]) -> Array:
    """Return a boolean array (n,): the occasions that lie within all scopes."""
    kept = np.ones(len(found), bool)
    for scope in scopes:
        kept &= _SCOPES[str(scope.data)](ground, found, scope.children[0])
    return kept


def _while(ground: Ground, found: Occasions, state: Form) -> Array:
    names, *rest = state.children
    zeros = np.zeros(len(found), np.int64)
    match str(state.data):
        case "st_clip" | "st_timer":
            sort = "play" if state.data == "st_clip" else "arming"
            spans = moments_of(ground, Moment(sort, names, (rest[0] or ()) if rest else ()))
            ends = end_lines(ground, spans)
            open_ = LineSpans(np.zeros(len(spans), np.int64), spans.lines, ends).open_at(zeros, found.lines)
        case "st_key":
            presses, releases = (moments_of(ground, Moment(sort, names)) for sort in ("press", "release"))
            down = np.searchsorted(presses.lines, found.lines) - np.searchsorted(releases.lines, found.lines)
            open_ = np.minimum(down, np.searchsorted(presses.lines, found.lines))
        case "st_lives":
            return _lives(ground, found, names)
        case _:
            return _value_is(ground, found, state)
    return np.asarray(open_) > 0


def _lives(ground: Ground, found: Occasions, names: tuple[str, ...]) -> Array:
    alive = np.zeros(len(found), bool)
    for code in ground.objects(names).tolist():
        for peer in range(len(ground.take.peers)):
            state = ground.take.objects.state_at(np.full(len(found), peer), np.full(len(found), code), found.lines)
            alive |= state == ALIVE
    return alive


def _value_is(ground: Ground, found: Occasions, state: Form) -> Array:
    """Return where a value, as last told before, compares as said."""
    name, owner, comparing, wanted = state.children
    changes, numbers = changes_of(ground, name, owner or ())
    place = np.searchsorted(changes.lines, found.lines, "left") - 1
    now = np.where(place >= 0, numbers[np.maximum(place, 0)] if len(numbers) else np.nan, np.nan)
    limit = float(wanted) if isinstance(wanted, float) else float("nan")
    return {"over": now > limit, "under": now < limit, "not": now != limit, "exactly": now == limit}[str(comparing)]


def _from(ground: Ground, found: Occasions, moment: Moment) -> Array:
    begin = moments_of(ground, moment).lines
    return found.lines >= (int(begin[0]) if len(begin) else NEVER)


def _until(ground: Ground, found: Occasions, moment: Moment) -> Array:
    end = moments_of(ground, moment).lines
    return found.lines < (int(end[0]) if len(end) else NEVER)


def _except(ground: Ground, found: Occasions, exception: Form) -> Array:
    frames = ground.take.frames
    match str(exception.data):
        case "e_loading":
            return ~np.append(frames.loading, False)[found.frames]
        case "e_long":
            limit: Span = exception.children[0]
            return ~(np.append(frames.work_ns, 0)[found.frames] > limit.value)
        case "e_owner":
            return ~(ground.is_named(found.owners, exception.children[0], objects=True))
    span, moment = exception.children
    near = moments_of(ground, moment)
    zeros, theirs = np.zeros(len(found), np.int64), np.zeros(len(near), np.int64)
    if span.frames:
        at, scale = found.frames, near.frames
    else:
        at, scale = _told_of_lines(ground, found), near.ns
    series = Series(theirs, near.lines, scale)
    return series.until(zeros, at + int(span.value)) - series.before(zeros, at - int(span.value)) == 0


def _told_of_lines(ground: Ground, found: Occasions) -> Array:
    """Return the time told at each occasion: that of the frame it lies in."""
    frames = ground.take.frames
    starts = ground.told(ground.frame_peer, frames.start_ns) if len(frames) else np.zeros(0, np.int64)
    return np.append(starts, 0)[found.frames]


_SCOPES: dict[str, Callable[[Ground, Occasions, Any], Array]] = {
    "s_while": _while,
    "s_from": _from,
    "s_until": _until,
    "s_except": _except,
}
