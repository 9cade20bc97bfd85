"""`… is followed by …`, `… is preceded by …` and `between … and …`: what comes after what, and how soon."""

from __future__ import annotations

from typing import Any

import numpy as np

from opossum.rules.checked import Occasions, occasions
from opossum.rules.ground import Ground
from opossum.rules.moments import moments_of
from opossum.rules.occurrences import Occurrences
from opossum.rules.sentence import Count, Form, Moment, Same, Span
from opossum.rules.series import Series
from opossum.stream.tables import Array
from opossum.words import tr

SAME_FRAME = Span(0, True)
FOREVER = np.iinfo(np.int64).max // 4


def followed(ground: Ground, moment: Moment, form: Form) -> Occasions:
    """Judge each first by how many of the second come within the reach; those whose reach the take cuts off are none."""
    count, then, reach, same = form.children
    count = count or Count(1, -1)
    first, second = moments_of(ground, moment), moments_of(ground, then)
    keys, then_keys = ground.shared(same, first, second)
    span, until = _reach(reach)
    scale = _scale(span, first), _scale(span, second)
    deadline = scale[0] + int(span.value) if span else np.full(len(first), FOREVER)
    if until is not None:
        deadline = np.minimum(deadline, _next_of(ground, first, until, same))
    series = Series(then_keys, second.lines, scale[1])
    begin = series.until_line(keys, first.lines)
    times = np.maximum(series.until(keys, deadline) - begin, 0)
    cut_off = deadline > _end(ground, span, first)
    enough = times >= count.least
    # what is due after the end may still come; what is already too much is too much
    counts = ~cut_off | ((count.most >= 0) & (times > count.most)) | (enough & (count.most < 0))
    if span is None and until is None:
        counts = np.ones(len(first), bool)
    held = enough & ((count.most < 0) | (times <= count.most))
    extra = series.at(begin + max(count.most, 0), keys)
    lines, frames = first.lines.copy(), first.frames.copy()
    late = ~enough
    if span is not None and late.any():
        frames[late] = _frame_of_deadline(ground, span, first, deadline, late)
    more = ~held & enough & (extra >= 0)
    lines[more], frames[more] = second.lines[extra[more]], second.frames[extra[more]]
    peers, owners, times, at = first.peers[counts], first.owners[counts], times[counts], first.lines[counts]
    told = f"× {then.text}" + (
        tr(" within {span}", span=span) if span and span.value else tr(" in that frame") if span else ""
    )
    return occasions(
        lines[counts],
        frames[counts],
        held[counts],
        lambda place: tr("line {at:,} was followed by {times} {told}", at=at[place], times=times[place], told=told),
        peers,
        owners,
    )


def preceded(ground: Ground, moment: Moment, form: Form) -> Occasions:
    """Judge each second: a first came before it, within the reach."""
    earlier, reach, same = form.children
    second, first = moments_of(ground, moment), moments_of(ground, earlier)
    keys, first_keys = ground.shared(same, second, first)
    span, _ = _reach(reach)
    series = Series(first_keys, first.lines, _scale(span, first))
    upto = series.until_line(keys, second.lines - 1)
    since = series.before(keys, _scale(span, second) - int(span.value) if span else np.full(len(second), -FOREVER))
    held = upto > since
    return occasions(
        second.lines,
        second.frames,
        held,
        lambda place: tr("no {earlier} before it", earlier=earlier.text),
        second.peers,
        second.owners,
    )


def between(ground: Ground, form: Form) -> Occasions:
    """Judge each closed window from an opening to the next closing by how often something comes within."""
    opens, closes, count, inner, same = form.children
    first, last, found = (moments_of(ground, item) for item in (opens, closes, inner))
    keys, last_keys, inner_keys = ground.shared(same, first, last, found)
    closing = Series(last_keys, last.lines, last.ns)
    place = closing.at(closing.until_line(keys, first.lines), keys)
    opening = Series(keys, first.lines, first.ns)
    # a window that opens again before it closes begins with the last opening
    again = opening.at(opening.until_line(keys, first.lines), keys)
    until = np.append(last.lines, FOREVER)[place]
    again_line = np.append(first.lines, FOREVER)[again]
    kept = (place >= 0) & (again_line > until)
    first, keys, place = first.only(kept), keys[kept], place[kept]
    series = Series(inner_keys, found.lines, found.ns)
    begin = series.until_line(keys, first.lines)
    times = series.until_line(keys, last.lines[place]) - begin
    held = np.array([count.holds(number) for number in range(int(times.max(initial=0)) + 1)])[times]
    extra = series.at(begin + max(count.most, 0), keys)
    too_many = (count.most >= 0) & (times > count.most) & (extra >= 0)
    lines = np.where(too_many, np.append(found.lines, 0)[extra], last.lines[place])
    frames = np.where(too_many, np.append(found.frames, 0)[extra], last.frames[place])
    return occasions(
        lines,
        frames,
        held,
        lambda at: tr("{times} × {inner} between", times=times[at], inner=inner.text),
        first.peers,
        first.owners,
    )


def _reach(reach: Any) -> tuple[Span | None, Moment | None]:
    if reach is None:
        return None, None
    if reach.data == "sameframe":
        return SAME_FRAME, None
    if reach.data == "before":
        return None, reach.children[0]
    return reach.children[0], None


def _scale(span: Span | None, found: Occurrences) -> Array:
    return found.frames if span is not None and span.frames else found.ns


def _next_of(ground: Ground, first: Occurrences, until: Moment, same: Same | None) -> Array:
    """Return when the next of a moment comes after each of `first`, told ns."""
    end = moments_of(ground, until)
    keys, end_keys = ground.shared(same, first, end)
    series = Series(end_keys, end.lines, end.ns)
    place = series.at(series.until_line(keys, first.lines), keys)
    return np.append(end.ns, FOREVER)[place]


def _end(ground: Ground, span: Span | None, first: Occurrences) -> Array:
    if span is not None and span.frames:
        return np.append(ground.last_frame, 0)[first.peers]
    return ground.end_ns[first.peers]


def _frame_of_deadline(ground: Ground, span: Span, first: Occurrences, deadline: Array, late: Array) -> Array:
    """Return the frame rows in which what was due at the latest did not come."""
    if span.frames:
        return np.minimum(deadline[late], np.append(ground.last_frame, 0)[first.peers[late]])
    found = first.frames[late].copy()
    frames = ground.take.frames
    starts = ground.told(ground.frame_peer, frames.start_ns)
    for peer in np.unique(first.peers[late]).tolist():
        mine = first.peers[late] == peer
        rows = frames.of_peer(int(peer))
        found[mine] = rows.start + np.searchsorted(starts[rows], deadline[late][mine], "right") - 1
    return np.maximum(found, first.frames[late])
