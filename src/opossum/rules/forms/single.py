"""What each call, send or clip must be by itself: in a phase, quick, of use, with its marks, ended in time."""

from __future__ import annotations

import numpy as np

from opossum.findings.wording import milliseconds
from opossum.rules.checked import Occasions, occasions
from opossum.rules.ground import Ground
from opossum.rules.moments import moments_of
from opossum.rules.occurrences import Occurrences
from opossum.rules.sentence import Form, Moment
from opossum.stream.tables import Array
from opossum.take.grouping import factorised
from opossum.take.indexes.objects import NEVER
from opossum.words import tr


def in_phase(ground: Ground, moment: Moment, form: Form) -> Occasions:
    """Judge each: it comes in one of the phases named."""
    found = moments_of(ground, moment)
    phases = ground.phase_at(found.peers, found.lines)
    held = ground.is_named(phases, form.children[0])
    return occasions(
        found.lines,
        found.frames,
        held,
        lambda place: tr("came in phase {phases}", phases=ground.take.text(int(phases[place])) or tr("none")),
        found.peers,
        found.owners,
    )


def takes(ground: Ground, moment: Moment, form: Form) -> Occasions:
    """Judge each call, or all calls of a send together, by how long it took; `alone` without what it called."""
    limit, alone = form.children
    found = moments_of(ground, moment)
    took = durations(ground, found, alone=alone is not None)
    return occasions(
        found.lines,
        found.frames,
        took <= limit.value,
        lambda place: tr("took {length}", length=milliseconds(float(took[place]))),
        found.peers,
        found.owners,
    )


def durations(ground: Ground, found: Occurrences, *, alone: bool) -> Array:
    """Return int64 (n,): ns that calls took, or the calls of sends together."""
    calls = ground.take.calls
    took = np.asarray(calls.duration_ns, np.int64)
    if alone:
        parent = np.asarray(calls.parent, np.int64)
        # a call that came later, off a queue, ran not within the one that sent it
        inside = (parent >= 0) & (calls.end_ns <= calls.end_ns[parent]) & (calls.start_ns >= calls.start_ns[parent])
        within = np.bincount(parent[inside], weights=took[inside], minlength=len(took))
        took = np.maximum(took - within.astype(np.int64), 0)
    if found.kind == "call":
        return took[found.rows]
    send = np.asarray(calls.send, np.int64)
    known = send >= 0
    sums = np.bincount(send[known], weights=took[known], minlength=len(ground.take.tables["send"]) + 1)
    return np.where(found.sends >= 0, sums[found.sends], 0).astype(np.int64)


def changes(ground: Ground, moment: Moment, form: Form) -> Occasions:
    """Judge all calls of each function for each event together: at least so large a share changed or sent something.

    It breaks at those that did not.
    """
    least = float(str(form.children[0]).rstrip("% ")) / 100 if form.children[0] is not None else 1.0
    take, found = ground.take, moments_of(ground, moment)
    effect = np.append(np.asarray(take.calls.effect, np.int64), -1)[found.calls]
    found, effect = found.only(effect >= 0), effect[effect >= 0]
    listener = take.calls.listener[found.calls]
    groups, _ = (
        factorised(take.listeners.function[listener], take.listeners.event[listener])
        if len(found)
        else (np.zeros(0, np.int32), None)
    )
    share = np.bincount(groups, weights=effect > 0) / np.maximum(np.bincount(groups), 1) if len(found) else np.zeros(0)
    held = (effect > 0) | (share[groups] >= least)
    return occasions(
        found.lines,
        found.frames,
        held,
        lambda place: tr(
            "only {share:.1%} of {function_of_call} changed something",
            share=share[groups[place]],
            function_of_call=take.function_of_call(int(found.calls[place])),
        ),
        found.peers,
        found.owners,
    )


def has_mark(ground: Ground, moment: Moment, form: Form) -> Occasions:
    """Judge each play: one of the marks named is planned in its clip."""
    found, marks = moments_of(ground, moment), ground.take.marks
    wanted = np.array([marks.text_of(int(name)) in form.children[0] for name in np.unique(marks.name)], bool)
    named = wanted[np.searchsorted(np.unique(marks.name), marks.name)] if len(marks.name) else np.zeros(0, bool)
    with_mark = np.zeros(len(ground.take.tables["play"]) + 1, bool)
    with_mark[np.asarray(marks.play, np.int64)[named]] = True
    held = with_mark[found.rows] if found.kind == "play" else np.ones(len(found), bool)
    clips = np.asarray(ground.take.tables["play"]["clip"])
    return occasions(
        found.lines,
        found.frames,
        held,
        lambda place: tr(
            "{clips} has no mark {children}",
            clips=ground.take.text(int(clips[found.rows[place]])),
            children=" or ".join(form.children[0]),
        ),
        found.peers,
        found.owners,
    )


def ends(ground: Ground, moment: Moment, form: Form) -> Occasions:
    """Judge each listener or timer whose owner went: it ended before that, or in the same frame (`with`)."""
    take, found = ground.take, moments_of(ground, moment)
    before = str(form.children[0]) == "before"
    end = end_lines(ground, found)
    gone, _ = take.objects.next_gone(found.peers, found.owners, found.lines)
    known = gone != NEVER
    found, end, gone = found.only(known), end[known], gone[known]
    held = end <= gone
    if not before:
        frame = take.frames.rows_of_lines(found.peers, gone)
        end_frame = np.where(end == NEVER, -2, take.frames.rows_of_lines(found.peers, np.minimum(end, 2**62)))
        held = held | (frame == end_frame)
    frames = take.frames.rows_of_lines(found.peers, gone)
    return occasions(
        gone,
        frames,
        held,
        lambda place: tr(
            "{owners} went and it did not end (line {lines:,})",
            owners=take.text(int(found.owners[place])),
            lines=found.lines[place],
        ),
        found.peers,
        found.owners,
    )


def end_lines(ground: Ground, found: Occurrences) -> Array:
    """Return the line at which each listener, timer, clip or wait ended, `NEVER` where it did not."""
    take = ground.take
    if found.kind == "bind":
        return np.asarray(take.binds.unbind_line, np.int64)[found.rows]
    if found.kind == "arm":
        return np.asarray(take.arms.end_line, np.int64)[found.rows]
    if found.kind == "play":
        stop = np.asarray(take.plays.stop, np.int64)[found.rows]
        return np.append(np.asarray(take.tables["stop"]["line"], np.int64), NEVER)[stop]
    if found.kind == "wait":
        return _wait_ends(ground)[found.rows]
    return np.full(len(found), NEVER, np.int64)


def _wait_ends(ground: Ground) -> Array:
    """Return the line at which each wait was met or given up."""
    take = ground.take
    end = np.full(len(take.tables["wait"]), NEVER, np.int64)
    for kind in ("met", "quit"):
        table = take.tables[kind]
        rows = take.wait_ids.rows(table["p"], table["w"])
        known = rows >= 0
        np.minimum.at(end, rows[known], np.asarray(table["line"], np.int64)[known])
    return end
